/** Many clients at once: a pasted list, made-up clients, and days as the practice types them. */
import { expect, test } from "./support";

test("a list is pasted, put right cell by cell, and added whole", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.knows("Maud Ellery", "1990-04-02", "female");
  await coach.opens("/people");
  await page.getByRole("link", { name: "Add a list" }).click();
  await page
    .getByLabel("The list")
    .fill("Ellery, Maud\t2/4/1990\tf\t172\t64\nEdda Lund\t31/2/2001\tx\nJonte Vik\t3.5.01\tm\nJonte Vik\t3 May 2001");
  await page.getByRole("button", { name: "Look through it" }).click();
  await expect(page.getByText("On record already?")).toContainText("Maud Ellery");
  await expect(page.getByText("The same person as line 3?")).toBeVisible();
  await expect(page.getByRole("status").filter({ hasText: "2 cells to correct, 2 lines to decide" })).toBeVisible();
  await expect(page.getByRole("button", { name: "Add 4 clients" })).toBeDisabled();
  // A reload loses nothing.
  await page.reload();
  await page.getByLabel("Birth date, line 2").fill("28/2/2001");
  await page.getByLabel("Sex, line 2").fill("f");
  await expect(page.getByText("2 lines to decide")).toBeVisible();
  await expect(page.getByText("cells to correct")).toBeHidden();
  await page.getByRole("button", { name: "Yes, leave out" }).first().click();
  await page.getByRole("button", { name: "Leave out line 4" }).click();
  await page.getByRole("button", { name: "Add 2 clients" }).click();
  await expect(page.getByText("3 in this practice")).toBeVisible();
  await page.getByRole("link", { name: "Edda Lund" }).click();
  await expect(page.getByRole("heading", { name: "Edda Lund" })).toBeVisible();
});

test("a new practice looks around with made-up clients and removes them again", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.opens("/");
  await page.getByRole("button", { name: "Look around with made-up clients" }).click();
  await expect(page.getByText("14 of your clients are made up")).toBeVisible({ timeout: 30_000 });
  await expect(page.getByRole("heading", { name: "Due today" })).toBeVisible();
  await page.getByRole("button", { name: "Remove them" }).click();
  await page.getByRole("button", { name: "Remove 14 made-up clients" }).click();
  await expect(page.getByText("Nobody is here yet. Add your first client.")).toBeVisible({ timeout: 30_000 });
});

test("a day is typed in the practice's order or picked, and what is no day stays in its field", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.opens("/practice");
  await page.getByText("12/31, month first").click();
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByText("Saved.")).toBeVisible();
  await coach.opens("/people/new");
  await page.getByLabel("Name", { exact: true }).fill("Noor Haddane");
  const born = page.getByLabel("Birth date");
  await born.fill("13/4/1990");
  await page.getByRole("button", { name: "Save only" }).click();
  await expect(page.getByText("Type a date such as 12/31/2026")).toBeVisible();
  await expect(born).toHaveValue("13/4/1990");
  await born.fill("4/13/90");
  await born.blur();
  await expect(born).toHaveValue("13 Apr 1990");
  await page.getByRole("button", { name: "Pick a day" }).click();
  await page.keyboard.press("ArrowDown");
  await page.keyboard.press("PageUp");
  await page.keyboard.press("Enter");
  await expect(born).toHaveValue("20 Mar 1990");
  await page.getByRole("button", { name: "Save only" }).click();
  await expect(page.getByRole("heading", { name: "Noor Haddane" })).toBeVisible();
});
