/** Groups: a squad is named, its list pasted, numbers and playing groups put right, somebody leaves. */
import { expect, isClean, test } from "./support";

const LIST = [
  "Name\tBirth date\tSex\tPlaying group\tNo.",
  "Haddane, Noor\t\t\tseniors\t7",
  "Edda Lund\t28/2/2001\tf\tjuniors\t7",
  "Jonte Vik\t3/5/2001\tm\tjuniors\t12x",
].join("\n");

test("a squad is pasted with its numbers, known names are asked about, and cells are put right in place", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.knows("Noor Haddane", "1998-04-02", "female");
  await coach.opens("/");
  await page.getByRole("link", { name: "Groups" }).click();
  await page.getByLabel("New group").fill("Sabre squad");
  await page.keyboard.press("Enter");
  await page.waitForURL(/groups\/[0-9a-f-]+$/);
  await page.getByRole("button", { name: "Paste a list" }).click();
  await page.getByLabel("The list").fill(LIST);
  await page.getByRole("button", { name: "Look through it" }).click();
  await expect(page.getByText("On record already?")).toContainText("Noor Haddane");
  await expect(page.getByText("“12x” isn’t a shirt number. Type 0 to 999, or nothing.")).toBeVisible();
  await expect(page.getByRole("button", { name: "Add 3 clients" })).toBeDisabled();
  await page.getByRole("button", { name: "Yes, put into the group" }).click();
  await page.getByLabel("No., line 3").fill("12");
  // The same number twice is said in its cell.
  await expect(page.getByText("Number 7 is Haddane, Noor’s already.")).toBeVisible();
  await page.reload();
  await page.getByLabel("No., line 2").fill("8");
  await expect(page.getByText("is Haddane, Noor’s already.")).toBeHidden();
  await isClean(page, "a pasted squad");
  await page.getByRole("button", { name: "Add 3 clients" }).click();
  await page.waitForURL(/groups\/[0-9a-f-]+$/);
  await expect(page.getByText("3 members")).toBeVisible();
  await expect(page.getByLabel("Number of Jonte Vik")).toHaveValue("12");
  await isClean(page, "a group");

  // A number that somebody wears is refused in its row, and what was typed stands.
  await page.getByLabel("Number of Jonte Vik").fill("8");
  await page.getByLabel("Number of Jonte Vik").blur();
  await expect(page.getByText("Number 8 is Edda Lund’s. Choose another one for Jonte Vik.")).toBeVisible();
  await page.getByLabel("Number of Jonte Vik").fill("15");
  await page.getByLabel("Number of Jonte Vik").blur();
  await expect(page.getByText("Choose another one for Jonte Vik.")).toBeHidden();
  await page.locator("select").selectOption("seniors");
  await expect(page.getByRole("link", { name: "Noor Haddane" })).toBeVisible();
  await expect(page.getByRole("link", { name: "Edda Lund" })).toBeHidden();
  await page.locator("select").selectOption("all");
  await page.getByRole("button", { name: "Take out Edda Lund" }).click();
  await expect(page.getByText("2 members")).toBeVisible();
  await expect(page.getByText("Left the group")).toBeVisible();

  // Back in by name; the client's page and search know the group.
  await page.getByLabel("Add a client on record").fill("edda");
  await page.getByRole("button", { name: /Edda Lund/ }).click();
  await expect(page.getByText("3 members")).toBeVisible();
  await page.getByRole("link", { name: "Noor Haddane" }).click();
  await page.getByRole("link", { name: "Sabre squad" }).click();
  await expect(page.getByRole("heading", { name: "Sabre squad" })).toBeVisible();
  await page.getByRole("button", { name: "Find" }).click();
  await page.getByLabel("Name, test, or author of a test").fill("sabre");
  await expect(page.getByText("group of 3")).toBeVisible();
});

test("a file in the letters of an older spreadsheet is read", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.opens("/people/list");
  const latin = Buffer.from("name;birth date\nJörg Åström;2.4.1990\n", "latin1");
  await page.locator('input[type="file"]').setInputFiles({ name: "list.csv", mimeType: "text/csv", buffer: latin });
  await expect(page.getByLabel("The list")).toHaveValue(/Jörg Åström/);
});
