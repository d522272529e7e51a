/** The group's page: who is where against target, who really moved, who is missing; and what follows for all of them at once. */
import { readFileSync } from "node:fs";
import { expect, isClean, test } from "./support";

test.use({ demo: true });

test("a squad with three sessions: change, targets by playing group, the group, ranking without names, links, dates", async ({
  coach,
  page,
}) => {
  await coach.signsInToDemo();
  await coach.opens("/groups");
  await page.getByRole("link", { name: /Sabre squad/ }).click();
  await page.getByRole("link", { name: "Results of the group" }).click();
  await expect(page.getByText("9 tested, 5 not")).toBeVisible();
  await expect(page.locator(".lead")).toContainText(
    "Vertical jump: 2 clear gains, 2 possible gains, 1 possible loss, 4 within measurement error.",
  );
  const row = (name: string) => page.locator("table.standing tr").filter({ hasText: name });
  await expect(row("Brita Holm-Ness")).toContainText("clear gain, was 34.5");
  await expect(row("Noor Haddane")).toContainText("absent");
  await expect(page.getByText(/mean 41\.9 cm \(95 % 37\.1 to 46\.7\)/)).toBeVisible();
  await isClean(page, "a group's results");

  // Two bounds for everybody, other ones for a playing group; what lies inside the test's error is near.
  const target = async (good: string, acceptable: string, who: string) => {
    await page.getByRole("button", { name: "Set a target" }).click();
    await page.getByLabel(/^Good/).fill(good);
    await page.getByLabel("Acceptable").fill(acceptable);
    if (who) await page.locator("select[name=playing_group]").selectOption(who);
    await page.getByRole("button", { name: "Save target" }).click();
  };
  await target("45", "50", "");
  await expect(page.getByRole("alert")).toContainText("What is acceptable lies below what is good: 45.0 cm.");
  await page.getByRole("button", { name: "Cancel" }).click();
  await target("52", "", "seniors");
  await expect(page.getByText("52.0 cm seniors")).toBeVisible();
  await page.getByRole("button", { name: "Remove the target of Vertical jump, seniors" }).last().click();
  await expect(page.getByText("52.0 cm seniors")).toHaveCount(0);
  await page.getByLabel("Below each value").selectOption("mark");
  await expect(row("Aslak Venn")).toContainText("reached");
  await expect(row("Caspar Lode")).toContainText("acceptable");
  await expect(row("Brita Holm-Ness")).toContainText("near");
  await expect(row("Jorunn Vik")).toContainText("acceptable");

  // Everybody beside the group: ties share a place, the file leaves names out on request.
  await page.getByLabel("Below each value").selectOption("group");
  await page.getByText("places", { exact: true }).click();
  await page.getByRole("button", { name: /^Vertical jump/ }).click();
  await expect(page.locator("table.standing tbody tr").first()).toContainText("Aslak Venn");
  await expect(row("Aslak Venn")).toContainText("z 1.4 · T 64 · 94 %");
  await page.getByRole("button", { name: "Aslak Venn" }).click();
  await expect(page.getByText("Aslak Venn in the group")).toBeVisible();
  await page.getByText("names", { exact: true }).click();
  await expect(page.locator("table.standing")).not.toContainText("Emil Strand");
  const [file] = await Promise.all([page.waitForEvent("download"), page.getByRole("button", { name: "Export CSV" }).click()]);
  const text = readFileSync(await file.path(), "utf8");
  expect(text).toContain("Vertical jump · jump height (cm)");
  expect(text).not.toContain("Aslak");
  // A playing group alone: fewer than five have no mean.
  await page.getByLabel("Playing group").first().selectOption("juniors");
  await expect(page.getByText("Fewer than 5 people have a value").first()).toBeVisible();
  await page.getByLabel("Playing group").first().selectOption("");

  await page.getByRole("button", { name: "Make 9 links" }).click();
  await expect(page.getByText("9 links. They are shown once.")).toBeVisible();
  const link = await page.locator(".links a").first().getAttribute("href");
  await page.getByRole("button", { name: "Save dates" }).click();
  await expect(page.getByText("Planned for 14 people.")).toBeVisible();
  await page.goto(link!);
  await expect(page.getByText("Squad day")).toBeVisible();
});
