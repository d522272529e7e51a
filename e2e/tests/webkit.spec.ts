/** A smoke test in the family of browsers that tablets run: from sign-in to a result that was decided without a network. */
import { ACCOUNT, expect, test } from "./support";
import { WebKit } from "./webkit";

test("a tablet’s browser signs in, runs a test, decides without a network, and sends it afterwards", async ({ coach, page, server }) => {
  test.setTimeout(180_000);
  await coach.hasPractice();
  const person = await coach.knows("Maud Ellery");
  const browser = await WebKit.open();
  try {
    await browser.goto(`${server.url}/sign-in`);
    await browser.types("Email address", ACCOUNT.email);
    await browser.types("Password", ACCOUNT.password, true);
    await browser.shows("Today");
    const run = await coach.stands([person], "vertical-jump", { arms: "swing", warm_up: true });
    await browser.goto(`${server.url}/runs/${run}`);
    await browser.press("Begin");
    await browser.types("Standing reach", "230", true);
    await browser.shows("Touch");
    await browser.shows("everything is saved");
    await browser.has("/log", ".wasm");
    await page.waitForTimeout(1000);
    // Nobody answers any more.
    await server.kill();
    await browser.types("Touch", "271", true);
    // The same core decides here: what comes next, and what it came to.
    await browser.shows(/Touch, try 2 of/);
    await browser.press("Save result");
    await browser.shows(/Finished, saved on this device[\s\S]*41/);
    await server.start();
    await expect.poll(() => browser.url(), { timeout: 30_000 }).toMatch(/results\//);
    const view = await (await page.request.get(`${server.url}/api/runs/${run}`)).json();
    expect(view.result).toBeTruthy();
    const result = await (await page.request.get(`${server.url}/api/results/${view.result}`)).json();
    expect(result.report.headline).toContain("41");
  } finally {
    await browser.close();
  }
});
