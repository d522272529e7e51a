/** What can never succeed is told and let go; what can waits; the floor comes up from what it has; a record can be erased. */
import { test, expect, cluster } from "./support";

const BENCH = { bench_cm: 41.3, warm_up: true, pulse_site: "wrist" };

test("what the server will never take is shown with its words, and what comes behind it goes on", async ({ coach, page, server }) => {
  await coach.hasPractice();
  const run = await coach.stands([await coach.knows("Rurik Dane")], "bench-step-3min", BENCH);
  await coach.startsTheClock();
  await page.route("**/events", async (route) => {
    const poison = route.request().postData()?.includes("of another kind");
    if (!poison) return route.continue();
    await route.fulfill({ status: 400, json: { code: "bad_json", message: "The request could not be read." } });
  });
  for (const words of ["of another kind", "wet floor"]) {
    await page.getByLabel("Remark").fill(words);
    await page.getByLabel("Remark").press("Enter");
  }
  const aside = page.getByRole("alert").filter({ hasText: "The note was not taken" });
  await expect(aside).toContainText("“of another kind” The request could not be read.");
  await expect(page.getByText("everything is saved")).toBeVisible();
  await aside.getByRole("button", { name: "Put away" }).click();
  await expect(aside).toBeHidden();
  // A NUL from a bad copy, past the field's own filter.
  await page.getByLabel("Remark").evaluate((field: HTMLInputElement) => {
    field.value = "sad\u0000dle";
    field.dispatchEvent(new Event("input", { bubbles: true }));
  });
  await page.getByLabel("Remark").press("Enter");
  await expect.poll(async () => (await (await page.request.get(`${server.url}/api/runs/${run}`)).json()).state.notes.length).toBe(2);
  const { state } = await (await page.request.get(`${server.url}/api/runs/${run}`)).json();
  expect(state.notes).toEqual(["wet floor", "saddle"]);
});

test(
  "with the database away the floor comes up from what it has, and what is typed is sent when it is back",
  { tag: "@alone" },
  async ({ coach, page, server }) => {
    test.setTimeout(120_000);
    await coach.hasPractice();
    const run = await coach.stands([await coach.knows("Rurik Dane")], "bench-step-3min", BENCH);
    await coach.startsTheClock();
    await page.waitForTimeout(2500);
    cluster("stop");
    try {
      await page.reload();
      await expect(page.getByText("Rurik Dane")).toBeVisible({ timeout: 30_000 });
      await expect(page.getByRole("timer")).not.toHaveText("0:00");
      await page.getByLabel("Remark").fill("the lights went out");
      await page.getByLabel("Remark").press("Enter");
      await expect(page.getByText("saved here, 1 to send")).toBeVisible({ timeout: 20_000 });
    } finally {
      cluster("start");
    }
    await expect(page.getByText("everything is saved")).toBeVisible({ timeout: 30_000 });
    const { state } = await (await page.request.get(`${server.url}/api/runs/${run}`)).json();
    expect(state.notes).toEqual(["the lights went out"]);
  },
);

test("a password is changed, a coach removed, and who did what names the client", async ({ coach, page, server, browser }) => {
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane");
  await coach.opens("/practice");
  await page.getByText("Add a coach").click();
  await page.getByLabel("Name").last().fill("Piet Hallam");
  await page.getByLabel("Email address").fill("piet@example.org");
  await page.getByLabel(/First password/).fill("another long one");
  await page.getByRole("button", { name: "Add coach" }).click();
  await expect(page.getByText("piet@example.org")).toBeVisible();
  const other = await (await browser.newContext()).newPage();
  await other.request.post(`${server.url}/api/session`, { data: { email: "piet@example.org", password: "another long one" } });
  await other.goto(`${server.url}/people/${person}`);
  await expect(other.getByRole("heading", { name: "Rurik Dane" })).toBeVisible();
  await page.getByRole("button", { name: "More for Piet Hallam" }).click();
  await page.getByRole("menuitem", { name: "Remove" }).click();
  await page.getByRole("dialog").getByRole("button", { name: "Remove" }).click();
  await expect(page.getByText("piet@example.org")).toBeHidden();
  await other.goto(`${server.url}/`);
  await expect(other).toHaveURL(/sign-in/);
  await other.context().close();

  const audit = page.getByRole("complementary");
  await expect(audit.getByText("asked about readiness")).toBeVisible();
  await audit.getByRole("button", { name: "Rurik Dane" }).first().click();
  await expect(audit.getByText("added a coach")).toBeHidden();
  await expect(audit.getByRole("link", { name: "added a client" })).toHaveAttribute("href", `/people/${person}`);

  await page.getByText("Change your password").click();
  await page.getByLabel("Present password").fill("not this one");
  await page.getByLabel(/New password/).fill("a better password");
  await page.getByRole("button", { name: "Change it" }).click();
  await expect(page.getByText("This is not your present password")).toBeVisible();
  await page.getByLabel("Present password").fill("a password for tests");
  await page.getByRole("button", { name: "Change it" }).click();
  await expect(page.getByText("Changed. Every other screen of yours is signed out.")).toBeVisible();
});

test("a client's record is taken out whole, and erased only by the name", async ({ coach, page }) => {
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane");
  await coach.opens(`/people/${person}/edit`);
  const download = page.waitForEvent("download");
  await page.getByRole("link", { name: "Download it as a file" }).click();
  expect((await download).suggestedFilename()).toBe(`record-${person}.json`);
  await page.getByText("Erase this client for good").click();
  await page.getByLabel(/Type the name/).fill("Rurik");
  await page.getByRole("button", { name: "Erase for good" }).click();
  await expect(page.getByText("Type “Rurik Dane” to erase this record for good.")).toBeVisible();
  await page.getByLabel(/Type the name/).fill("rurik dane");
  await page.getByRole("button", { name: "Erase for good" }).click();
  await page.waitForURL(/people$/);
  await expect(page.getByText("Rurik Dane")).toBeHidden();
});

test("a long list says how much of it is shown and goes on", async ({ coach, page, server }) => {
  await coach.hasPractice();
  const { today } = await (await page.request.get(`${server.url}/api/session`)).json();
  for (const name of ["Teo", "Linnea", "Noor", "Joren", "Maud"]) {
    const data = { protocol: "bench-step-3min", rule: { rule: "every_weeks", weeks: 1 }, from: today };
    await page.request.post(`${server.url}/api/people/${await coach.knows(name)}/retests`, { data });
  }
  await coach.opens("/retests");
  const part = page.locator("section").filter({ has: page.getByRole("heading", { name: /To come/ }) });
  await expect(part.getByText(/^25 of 6\d$/)).toBeVisible();
  await part.getByRole("button", { name: "Show more" }).click();
  await expect(part.getByText(/^50 of 6\d$/)).toBeVisible();
  await part.getByRole("button", { name: "Show more" }).click();
  await expect(part.getByRole("button", { name: "Show more" })).toBeHidden();
  // Five people with a date a week for three months, whichever months they are.
  expect(await part.getByRole("listitem").count()).toBeGreaterThanOrEqual(60);
});

test("a name of a hundred and twenty capitals breaks, and no page scrolls sideways for it", async ({ coach, page }) => {
  await coach.hasPractice();
  const person = await coach.knows("W".repeat(120));
  const fits = async (where: string) => {
    const wide = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
    expect(wide, where).toBeLessThanOrEqual(0);
  };
  for (const width of [1280, 390]) {
    await page.setViewportSize({ width, height: 800 });
    for (const path of ["/", "/people", `/people/${person}`, `/people/${person}/edit`, "/practice"]) {
      await coach.opens(path);
      await page.waitForLoadState("networkidle");
      await fits(`${path} at ${width}`);
    }
    await coach.stands([person], "bench-step-3min", BENCH);
    await fits(`the floor at ${width}`);
  }
});
