import { expect, test } from "vitest";
import { Channel, type Source } from "./channel";

/** A channel by hand: what it hears and whether it is open is said by the test. */
function byHand() {
  const made: (Source & { say: (data: string) => void; url: string; closed: boolean })[] = [];
  const heard: string[] = [];
  let at = 0;
  const channel = new Channel(
    "/live",
    (data) => heard.push(data),
    (url) => {
      let tell: (event: { data: string }) => void = () => {};
      const source = {
        url,
        readyState: 1,
        closed: false,
        onopen: null,
        addEventListener: (what: string, listener: typeof tell) => what === "view" && (tell = listener),
        close: () => (source.closed = true),
        say: (data: string) => tell({ data }),
      };
      made.push(source);
      return source;
    },
    () => at,
  );
  return { channel, made, heard, pass: (ms: number) => (at += ms) };
}

test("what arrives is handed on", () => {
  const { channel, made, heard } = byHand();
  channel.listen();
  made[0]!.say("one");
  expect(heard).toEqual(["one"]);
  expect(channel.mustLook()).toBe(false);
});

test("while the browser is opening it again, the run is asked for", () => {
  const { channel, made } = byHand();
  channel.listen();
  made[0]!.readyState = 0;
  expect(channel.mustLook()).toBe(true);
  expect(made.length).toBe(1);
});

test("one that was given up is opened again", () => {
  const { channel, made } = byHand();
  channel.listen();
  made[0]!.readyState = 2;
  expect(channel.mustLook()).toBe(true);
  expect(made.length).toBe(2);
  expect(made[0]!.closed).toBe(true);
  expect(channel.mustLook()).toBe(false);
});

test("a long silence asks once, and a word ends it", () => {
  const { channel, made, pass } = byHand();
  channel.listen();
  pass(24_000);
  expect(channel.mustLook()).toBe(false);
  pass(2_000);
  expect(channel.mustLook()).toBe(true);
  expect(channel.mustLook()).toBe(false);
  pass(20_000);
  made[0]!.say("there");
  pass(20_000);
  expect(channel.mustLook()).toBe(false);
});

test("after it was closed nothing is heard of it any more", () => {
  const { channel, made, heard } = byHand();
  channel.listen();
  channel.listen();
  made[0]!.say("late");
  channel.close();
  made[1]!.say("later");
  expect(heard).toEqual([]);
});
