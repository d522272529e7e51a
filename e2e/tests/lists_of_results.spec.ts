/** Results of a group as a list: pasted with faults, put right, stored whole; and the same file given back. */
import { createHash, randomUUID } from "node:crypto";
import { readFileSync } from "node:fs";
import { expect, isClean, test } from "./support";

const sum = (text: string | Buffer) => createHash("sha256").update(text).digest("hex");

test("a pasted list has its faults in their cells, is stored whole, and comes back as the same file", async ({ coach, page }) => {
  await coach.hasPractice();
  const group = randomUUID();
  const api = `${coach.server.url}/api`;
  await page.request.put(`${api}/groups/${group}`, { data: { name: "Sabre squad" } });
  const people = [];
  for (const [k, name] of ["Odd Varga", "Maud Askvik", "Noor Sandell"].entries()) {
    const person = await coach.knows(name, "2005-05-04");
    people.push(person);
    await page.request.post(`${api}/groups/${group}/members`, { data: { id: randomUUID(), person, number: String([7, 11, 4][k]) } });
  }
  const visit = randomUUID();
  const begun = await page.request.post(`${api}/groups/${group}/visits`, {
    data: { id: visit, battery: "vertical-jump", conditions: { arms: "swing", warm_up: true } },
  });
  expect(begun.ok(), await begun.text()).toBeTruthy();
  await coach.opens(`/group-visits/${visit}`);
  await page.getByRole("link", { name: "Enter results from a spreadsheet or paper" }).click();

  const field = page.getByLabel("The results");
  await field.fill(
    "Name;Standing reach (cm);Touched;Touch;Touch\nOd Verga;221;281;2.84;x\nAskvik, Maud;228;270;far;271,5\nSandell Noor;219;268;;",
  );
  await page.getByRole("button", { name: "Look through it" }).click();
  await expect(page.getByRole("status").filter({ hasText: "to correct" })).toHaveText("2 cells to correct");
  // A column that names nothing is said to be one.
  await page.getByLabel("What is “Touched”?").selectOption({ label: "Vertical jump, Touch, try 3" });
  const to = page.getByRole("status").filter({ hasText: "to correct" });
  await page.getByLabel("Who is Od Verga?").selectOption({ label: "Odd Varga" });
  await expect(to).toHaveText("1 cell to correct, 1 value to look at");
  await page.reload();
  const cell = (name: string, nth: number) => page.getByLabel(`${name}, Vertical jump Touch, try ${nth}`);
  await cell("Odd Varga", 1).fill("284");
  await expect(to).toHaveText("1 cell to correct");
  await isClean(page, "a list of results");
  await cell("Maud Askvik", 1).fill("273");
  await page.getByRole("button", { name: "Store 3 results" }).click();
  await page.waitForURL(`**/group-visits/${visit}`);
  await expect(page.getByText("3 of 3 done")).toBeVisible();

  // Each has a result of their own, in their own visit.
  const own = await (await page.request.get(`${api}/group-visits/${visit}`)).json();
  expect(own.roll.map((l: { presence: string; done: number }) => [l.presence, l.done])).toEqual(Array(3).fill(["here", 1]));
  await coach.opens(`/people/${people[1]}`);
  await expect(page.getByRole("main")).toContainText("45.0");

  // The file that is given back says the same when it is read again.
  await coach.opens(`/group-visits/${visit}/list`);
  const given = async () => {
    const [download] = await Promise.all([page.waitForEvent("download"), page.getByRole("button", { name: "Export CSV" }).click()]);
    return readFileSync(await download.path());
  };
  const file = await given();
  const lines = file.toString("utf8").replace("\ufeff", "").trim().split("\r\n");
  expect(lines).toHaveLength(4);
  expect(lines[0]).toContain("Vertical jump · Standing reach (cm)");
  expect(lines).toContain("7,Odd Varga,221,284,x,281");
  const next = randomUUID();
  await page.request.post(`${api}/group-visits/${visit}/close`);
  await page.request.post(`${api}/groups/${group}/visits`, {
    data: { id: next, battery: "vertical-jump", conditions: { arms: "swing", warm_up: true } },
  });
  await coach.opens(`/group-visits/${next}/list`);
  await page.setInputFiles('input[type="file"]', { name: "results.csv", mimeType: "text/csv", buffer: file });
  await page.getByRole("button", { name: "Look through it" }).click();
  await page.getByRole("button", { name: "Store 3 results" }).click();
  await page.waitForURL(`**/group-visits/${next}`);
  await coach.opens(`/group-visits/${next}/list`);
  expect(sum(await given())).toBe(sum(file));
});
