import { expect, test } from "vitest";
import { csv } from "./csv";

test("what would break a line is quoted", () => {
  expect(csv([["a,b", 'say "x"', "two\nlines", 1.5, null]])).toBe('"a,b","say ""x""","two\nlines",1.5,\r\n');
});

test("what a spreadsheet would run is text, and a negative number stays a number", () => {
  expect(csv([["=1+1", "@x", "-2", -2]])).toBe("'=1+1,'@x,'-2,-2\r\n");
});

test("a formula after another separator is text too, as in the server’s files", () => {
  expect(csv([["Teo;=HYPERLINK(1)", "x\n=1+1", "'=a", "a-b", "9;-4"]])).toBe("Teo;'=HYPERLINK(1),\"x\n'=1+1\",''=a,a-b,9;'-4\r\n");
});
