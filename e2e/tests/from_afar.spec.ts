import { expect, test } from "@playwright/test";
import { randomUUID } from "node:crypto";
import { Coach, Server } from "./support";

// A client takes two tests away from the coach: one is taken in, one is refused with a reason and sent again.

let server: Server;
test.beforeAll(async () => (server = await Server.fresh(1)));
test.afterAll(() => server?.kill());

test("results from afar wait, are taken in or refused, and stay marked", async ({ page, browser }) => {
  const coach = new Coach(page, server);
  await coach.hasPractice();
  const person = await coach.knows("Sol Askvik");
  const own = randomUUID();
  const battery = {
    id: own,
    name: "At home",
    tests: [{ protocol: "chair-stand-30s" }, { protocol: "air-squat" }, { protocol: "push-up" }],
  };
  const made = await page.request.put(`${server.url}/api/batteries/${own}`, { data: battery });
  expect(made.ok(), await made.text()).toBeTruthy();
  const { battery: kept } = await made.json();
  const visit = randomUUID();
  const conditions = { style: "toes", rule: "to_failure", depth: "floor", chair_cm: 43 };
  const begun = await page.request.post(`${server.url}/api/people/${person}/visits`, { data: { id: visit, battery: kept.id, conditions } });
  expect(begun.ok(), await begun.text()).toBeTruthy();

  await page.goto(`${server.url}/visits/${visit}`);
  await page.getByRole("button", { name: "Make a link to test from afar" }).click();
  const address = (await page.getByRole("link", { name: /\/self\// }).textContent())!.trim();

  // Without an account, on a phone.
  const phone = await (await browser.newContext({ viewport: { width: 390, height: 800 } })).newPage();
  await phone.goto(address);
  await expect(phone.getByText("0 of 2 tests sent.")).toBeVisible();
  await expect(phone.getByRole("heading", { name: "Push-up" })).toBeHidden();
  await phone.getByRole("checkbox", { name: /I feel well/ }).check();
  const of = (name: string) => phone.locator("article").filter({ has: phone.getByRole("heading", { name: new RegExp(`^${name}`) }) });
  await expect(of("Air squat")).toContainText("somebody else has to watch");
  const pushUp = of("Push-up");
  await pushUp.getByRole("button", { name: "Push-up" }).click();
  await expect(pushUp.getByText("One counts when the body stays straight", { exact: false })).toBeVisible();
  await expect(pushUp.getByText("Not deep enough, or the body sagged.")).toBeVisible();
  const reps = pushUp.getByRole("textbox", { name: "On the toes" });
  await reps.fill("x7");
  await pushUp.getByRole("button", { name: "Send to your coach" }).click();
  await expect(pushUp.getByRole("alert")).toBeVisible();
  // A reload loses nothing that was typed.
  await reps.fill("41");
  await phone.reload();
  await pushUp.getByRole("button", { name: "Push-up" }).click();
  await expect(reps).toHaveValue("41");
  await pushUp.getByRole("button", { name: "Send to your coach" }).click();
  await expect(pushUp.getByRole("status")).toHaveText("sent, your coach has not looked at it yet");
  await expect(phone.getByText("1 of 2 tests sent.")).toBeVisible();

  // A slip is put right before the coach looks.
  await pushUp.getByRole("button", { name: "Correct it" }).click();
  await expect(reps).toHaveValue("41");
  await reps.fill("14");
  await pushUp.getByRole("button", { name: "Send to your coach" }).click();
  await expect(pushUp.getByRole("status")).toBeVisible();
  await of("Chair stand, 30 s")
    .getByRole("textbox", { name: /stands/i })
    .first()
    .fill("19");
  await of("Chair stand, 30 s").getByRole("button", { name: "Send to your coach" }).click();
  await expect(phone.getByText("You have sent everything. Thank you.")).toBeVisible();

  await page.goto(`${server.url}/`);
  await page.getByRole("link", { name: /2 results from afar wait for you/ }).click();
  const waiting = (name: string) => page.locator("article").filter({ hasText: name });
  await expect(waiting("Push-up")).toContainText("14");
  await waiting("Push-up").getByRole("button", { name: "Take it in" }).click();
  await expect(waiting("Push-up")).toContainText("Taken in.");
  await waiting("Chair stand").getByRole("button", { name: "Refuse" }).click();
  await waiting("Chair stand").getByRole("button", { name: "Refuse it" }).click();
  await expect(waiting("Chair stand").getByRole("alert")).toContainText("Give a reason");
  await waiting("Chair stand")
    .getByLabel(/Why not\?/)
    .fill("The arms helped on the video.");
  await waiting("Chair stand").getByRole("button", { name: "Refuse it" }).click();
  await expect(waiting("Chair stand")).toContainText("Refused: The arms helped on the video.");
  await waiting("Push-up").getByRole("link", { name: "The result" }).click();
  await expect(page.getByText("Self-reported", { exact: false }).first()).toBeVisible();

  await phone.reload();
  await expect(pushUp.getByRole("status")).toHaveText("taken in by your coach");
  await expect(of("Chair stand, 30 s")).toContainText("The arms helped on the video.");
  await of("Chair stand, 30 s").getByRole("button", { name: "Correct it" }).click();
  await of("Chair stand, 30 s")
    .getByRole("textbox", { name: /stands/i })
    .first()
    .fill("16");
  await of("Chair stand, 30 s").getByRole("button", { name: "Send to your coach" }).click();
  await expect(phone.getByText("You have sent everything. Thank you.")).toBeVisible();

  await page.goto(`${server.url}/visits/${visit}`);
  await page.getByRole("button", { name: "Take it in" }).click();
  await expect(page.getByRole("button", { name: "Take it in" })).toHaveCount(0);
  await page.getByRole("button", { name: "Withdraw" }).click();
  await phone.reload();
  await expect(phone.getByText("This link has ended or was withdrawn.", { exact: false })).toBeVisible();
});
