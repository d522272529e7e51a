/** A group's session: the roll by keyboard, readiness of all on one screen, heats, a class step that fills visits, who owes it. */
import { randomUUID } from "node:crypto";
import { expect, isClean, test, type Coach } from "./support";
import type { Page } from "@playwright/test";

test.use({ rate: 12 });

/** A squad by the interface's own routes: names with numbers from 1. */
async function squad(coach: Coach, page: Page, names: string[]): Promise<string> {
  const id = randomUUID();
  const api = `${coach.server.url}/api/groups/${id}`;
  expect((await page.request.put(api, { data: { name: "Canal school, class 9" } })).ok()).toBeTruthy();
  for (const [k, name] of names.entries()) {
    const person = await coach.knows(name, "2011-05-04");
    const data = { id: randomUUID(), person, number: String(k + 1) };
    expect((await page.request.post(`${api}/members`, { data })).ok()).toBeTruthy();
  }
  return id;
}

test("the roll by keyboard, one held back, a class step together, and an absent one who makes it up", async ({ coach, page }) => {
  await coach.hasPractice();
  const group = await squad(coach, page, ["Ada Birch", "Ben Carrow", "Cleo Dunmore", "Dov Elster"]);
  await coach.opens(`/groups/${group}`);
  await page.getByRole("button", { name: "Start a group visit" }).click();
  await page.getByRole("link", { name: /^Class\b/ }).click();
  for (const name of [/warm-up done/, /shoulders warmed up/])
    await page.getByRole("group", { name }).getByText("Yes", { exact: true }).click();
  await page.getByText("at the wrist", { exact: false }).first().click();
  await page.getByLabel("Bench height").fill("30");
  await page.getByRole("button", { name: "Call the roll" }).click();
  await page.waitForURL(/group-visits\//);

  // A number, the beginning of a name; what nobody is called is said and stays in its field.
  const who = page.getByLabel(/Who is here/);
  await expect(who).toBeFocused();
  await who.fill("1");
  await page.keyboard.press("Enter");
  await expect(page.getByText("Ada Birch is here.")).toBeVisible();
  await who.fill("carr");
  await page.keyboard.press("Enter");
  await expect(page.getByText("Ben Carrow is here.")).toBeVisible();
  await who.fill("zz");
  await page.keyboard.press("Enter");
  await expect(page.getByText("Nobody here is “zz”.")).toBeVisible();
  await expect(who).toHaveValue("zz");
  const row = (name: string) => page.getByRole("row").filter({ hasText: name });
  await row("Cleo Dunmore").getByRole("button", { name: "Not testing" }).click();
  await page.getByLabel("Why Cleo Dunmore is not tested").fill("feels ill");
  await page.keyboard.press("Enter");
  await expect(row("Cleo Dunmore")).toContainText("feels ill");
  await page.reload();
  await expect(page.getByText(/2 here, 1 not called yet/)).toBeVisible();
  await row("Dov Elster").getByRole("button", { name: "Absent" }).click();
  await expect(page.getByText(/2 here, 1 to test another day/)).toBeVisible();
  await isClean(page, "the roll");

  // One clock for all who are here; each one's place is filled.
  await page.getByRole("button", { name: "Start 2 together" }).click();
  await page.waitForURL(/runs\//);
  await page.getByRole("button", { name: /^(Start the clock|Begin)/ }).click();
  const tile = (name: string) => page.getByRole("listitem").filter({ hasText: name }).getByRole("button");
  await expect(tile("Ada Birch")).toBeEnabled({ timeout: 40_000 });
  await tile("Ada Birch").click();
  await page.getByLabel("Beats of Ada Birch").fill("24");
  await page.keyboard.press("Enter");
  // Enter goes on to whoever is missing.
  await expect(page.getByLabel("Beats of Ben Carrow")).toBeFocused();
  await page.keyboard.type("26");
  await page.keyboard.press("Enter");
  for (const name of ["Ada Birch", "Ben Carrow"]) await expect(tile(name)).toContainText("bpm");
  await page.getByRole("button", { name: /Save all results/ }).click();
  await page.waitForURL(/group-visits\//);
  await expect(page.getByText("2 of 2 done")).toBeVisible();
  await expect(row("Ada Birch")).toContainText("1 of 4");

  // Closed with everybody's own visit; who was absent does it another day, alone.
  await page.getByRole("button", { name: "Close the group visit" }).click();
  await page.getByRole("button", { name: "Close it" }).click();
  await expect(page.getByRole("button", { name: "Close the group visit" })).toBeHidden();
  await page.getByRole("button", { name: "does it now" }).click();
  await page.waitForURL(/visits\/.*\/floor/);
  await expect(page.getByText("Dov Elster")).toBeVisible();
  await coach.opens(`/groups/${group}`);
  await page.getByRole("link", { name: /Class/ }).click();
  await expect(page.getByText(/to test another day/i)).toBeHidden();
});

test.describe("with the demo", () => {
  test.use({ demo: true });

  test("what was said last time is said again for all at once, each reason is one person’s own, and heats are made", async ({
    coach,
    page,
  }) => {
    await coach.signsInToDemo();
    const groups = await (await page.request.get(`${coach.server.url}/api/groups`)).json();
    const squad = groups.find((g: { name: string }) => g.name === "Sabre squad").id;
    await coach.opens(`/groups/${squad}/visits/new`);
    await page.getByRole("link", { name: /Squad day/ }).click();
    await expect(page.getByText("filled in as last time")).toBeVisible();
    await page
      .getByRole("group", { name: /warm-up done/ })
      .getByText("Yes", { exact: true })
      .click();
    await page.getByRole("button", { name: "Call the roll" }).click();
    await page.getByRole("button", { name: "All here" }).click();
    await expect(page.getByText(/14 here/)).toBeVisible();
    const again = page.getByRole("button", { name: /\d+ as last time/ });
    const many = Number(/\d+/.exec((await again.textContent())!)![0]);
    expect(many).toBeGreaterThan(5);
    await again.click();
    await expect(again).toBeHidden();
    await expect(page.getByText("ready", { exact: true })).toHaveCount(many, { timeout: 20_000 });
    await page.getByText("Heats", { exact: true }).first().click();
    await page.getByLabel("People in a heat").fill("5");
    await page.getByRole("button", { name: "Make heats" }).click();
    await expect(page.getByText(/heat 3/).first()).toBeVisible();
  });
});
