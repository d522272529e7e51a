/** A visit of an earlier day is typed whole: every test on one page, remarks too. */
import { expect, test } from "./support";

test("a visit of three weeks ago: all tests on one page, a slip asked about, one left out, a reload between", async ({ coach, page }) => {
  await coach.hasPractice();
  const person = await coach.knows("Ilse Varga", "1968-05-01", "female");
  await coach.opens(`/people/${person}/visits/new?battery=four-in-five-minutes`);
  await page.getByText("Enter a visit from an earlier day").click();
  const day = new Date(Date.now() - 21 * 86_400_000).toISOString().slice(0, 10);
  await page.locator('input[name="on"]').fill(day);
  await page.locator('input[name="at"]').fill("09:30");
  for (const group of await page.locator(".el-radio-group").all()) await group.locator("label").first().click();
  await page.getByText("Yes", { exact: true }).click();
  await page.getByRole("button", { name: "Begin" }).click();
  await page.waitForURL(/\/paper$/);

  const test = (name: RegExp) => page.locator("section.test").filter({ has: page.getByRole("heading", { name }) });
  await test(/Girths|Body/)
    .locator('input[name="waist_cm.1"]')
    .fill("91,5");
  await test(/Girths|Body/)
    .locator('input[name="waist_cm.2"]')
    .fill("92");
  await test(/floor/i).first().locator('input[name="supports_down"]').fill("1");
  await test(/floor/i).first().locator('input[name="supports_up"]').fill("1");
  await page.reload();
  await test(/Plank/).locator('input[name="seconds"]').fill("1:48");
  await test(/Plank/).locator('input[name="remark"]').fill("hips high from 1:30");
  await page.getByRole("button", { name: "Save the visit" }).click();
  await expect(page.getByText("Type the readings, or tick “skipped”.")).toBeVisible();
  await test(/One leg|leg/i)
    .last()
    .getByLabel("skipped")
    .check();
  await page.getByRole("button", { name: "Save the visit" }).click();
  await expect(page.getByText("Give a reason for skipping it.")).toBeVisible();
  await test(/One leg|leg/i)
    .last()
    .locator('input[name="reason"]')
    .fill("sore ankle");
  await page.getByRole("button", { name: "Save the visit" }).click();
  await page.waitForURL(/\/visits\/[^/]+$/);
  await expect(page.getByText("hips high from 1:30")).toBeVisible();
  await expect(page.getByText("skipped: sore ankle")).toBeVisible();
  await expect(page.getByText("1:48").first()).toBeVisible();
});
