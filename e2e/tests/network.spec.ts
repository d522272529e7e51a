/** Never lose a reading: the line cut for a minute in mid-stage, the server killed, another process taking over. */
import { randomUUID } from "node:crypto";
import { test, expect } from "./support";

const CYCLE = { warm_up: true, hr_source: "wrist" };

test.use({ rate: 10 });

test(
  "a minute without network in mid-stage and a killed server end in the run an undisturbed one gives",
  { tag: "@alone" },
  async ({ coach, page, server, context }) => {
    test.setTimeout(240_000);
    await coach.hasPractice();
    const sent: unknown[] = [];
    page.on("request", (r) => r.method() === "POST" && r.url().endsWith("/events") && sent.push(r.postDataJSON()));
    const run = await coach.stands([await coach.knows("Rurik Dane")], "multistage-cycle", CYCLE);
    await page.getByRole("button", { name: "Start the clock" }).click();
    await expect(page.getByRole("heading", { name: /Stage 1/ })).toBeVisible({ timeout: 15_000 });
    await context.setOffline(true);
    await coach.reads("Heart rate, minute 2", "112");
    await expect(page.getByText("saved here, 1 to send")).toBeVisible();
    await coach.reads("Heart rate, minute 3", "114");
    await page.getByLabel("Remark").fill("saddle moved");
    await page.getByLabel("Remark").press("Enter");
    await expect(page.getByText("saved here, 3 to send")).toBeVisible();
    // The decision needs no line.
    await expect(page.getByRole("heading", { name: "The stage counts" })).toBeVisible();
    await expect(page.getByText(/112, then 114: steady, and above 110: stage 1 counts/).first()).toBeVisible();
    const before = await page.getByRole("timer").textContent();
    await page.waitForTimeout(6000);
    expect(await page.getByRole("timer").textContent(), "the clock goes on").not.toBe(before);
    await server.kill();
    await context.setOffline(false);
    await page.waitForTimeout(1500);
    await server.start();
    await expect(page.getByText("everything is saved")).toBeVisible({ timeout: 20_000 });
    await expect(page.getByText(/112, then 114: steady, and above 110: stage 1 counts/).first()).toBeVisible();
    const view = await (await page.request.get(`${server.url}/api/runs/${run}`)).json();
    expect(view.state.of.stages[0].readings.map((r: { bpm: number }) => r.bpm)).toEqual([112, 114]);
    expect(view.state.notes).toEqual(["saddle moved"]);

    // Everything again, in reverse and in one heap: nothing is applied twice, and what is out of its turn waits.
    const sentAgain = [...sent, ...[...sent].reverse()];
    for (const data of sentAgain) {
      const answer = await page.request.post(`${server.url}/api/runs/${run}/events`, { data });
      expect([200, 409]).toContain(answer.status());
    }
    await page.keyboard.press("Enter");
    await expect(page.getByRole("heading", { name: /Stage 2 · 300 kgm\/min/ })).toBeVisible();
    await coach.reads("Heart rate, minute 2", "124");
    await coach.reads("Heart rate, minute 3", "126");
    await page.getByRole("button", { name: /Save result/ }).click();
    await page.waitForURL(/results\//);

    // The same readings in a run that nothing disturbed.
    const result = async (at: string) =>
      (await (await page.request.get(`${server.url}/api/results/${at}`)).json()).report.quantities[0].value;
    const disturbed = await result(page.url().split("/").at(-1)!);
    await coach.stands([await coach.knows("Rurik Dane")], "multistage-cycle", CYCLE);
    await page.getByRole("button", { name: "Start the clock" }).click();
    for (const [minute, bpm, stage] of [
      [2, 112, 1],
      [3, 114, 1],
      [2, 124, 2],
      [3, 126, 2],
    ] as const) {
      if (stage === 2 && minute === 2) await page.getByRole("button", { name: /Load is set/ }).click();
      await expect(page.getByRole("heading", { name: new RegExp(`Stage ${stage}`) })).toBeVisible({ timeout: 15_000 });
      await coach.reads(`Heart rate, minute ${minute}`, String(bpm));
    }
    await page.getByRole("button", { name: /Save result/ }).click();
    await page.waitForURL(/results\//);
    expect(await result(page.url().split("/").at(-1)!)).toBe(disturbed);
  },
);

test("a second screen sees the run live, without asking again and again", async ({ coach, page, server, browser }) => {
  test.setTimeout(90_000);
  await coach.hasPractice();
  const run = await coach.stands([await coach.knows("Rurik Dane")], "multistage-cycle", CYCLE);
  const other = await (await browser.newContext({ storageState: await page.context().storageState() })).newPage();
  const asked: string[] = [];
  other.on("request", (r) => r.url().endsWith(`/api/runs/${run}`) && asked.push(r.url()));
  await other.goto(`${server.url}/runs/${run}`);
  await page.getByRole("button", { name: "Start the clock" }).click();
  await expect(other.getByRole("heading", { name: /Stage 1/ })).toBeVisible({ timeout: 15_000 });
  await coach.reads("Heart rate, minute 2", "112");
  await expect(other.getByText("112 at minute 2. The next reading is at minute 3.").first()).toBeVisible();
  expect(asked.length, "one look at the beginning").toBeLessThanOrEqual(2);
  // What the other screen types is on this one too.
  await other.getByLabel("Heart rate, minute 3").fill("113");
  await other.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "The stage counts" })).toBeVisible();
  await other.context().close();
});

test("a real strap's bytes over the browser's Bluetooth take the readings by themselves", async ({ coach, page }) => {
  test.setTimeout(90_000);
  await coach.hasPractice();
  // A strap at the browser's own interface: notifications of the standard service, once a second of the run's clock.
  await page.addInitScript(() => {
    class Measurement extends EventTarget {
      value?: DataView;
      async startNotifications() {
        let n = 0;
        setInterval(() => {
          n++;
          const bytes = n === 20 ? [0x00, 255] : n === 25 ? [0x10, 120, 1] : [0x16, 118 + (n % 3), 0x00, 0x02];
          this.value = new DataView(new Uint8Array(bytes).buffer);
          this.dispatchEvent(new Event("characteristicvaluechanged"));
        }, 100);
      }
    }
    const device = Object.assign(new EventTarget(), {
      gatt: {
        connect: async () => ({ getPrimaryService: async () => ({ getCharacteristic: async () => new Measurement() }) }),
        disconnect() {},
      },
    });
    Object.defineProperty(navigator, "bluetooth", { value: { requestDevice: async () => device } });
  });
  await coach.stands([await coach.knows("Rurik Dane")], "multistage-cycle", { ...CYCLE, hr_source: "strap" });
  await page.getByRole("button", { name: "Start the clock" }).click();
  await page.getByRole("button", { name: "Connect a chest strap" }).click();
  await expect(page.getByText("chest strap", { exact: true })).toBeVisible({ timeout: 15_000 });
  await expect(page.getByText(/^119, then 119: steady|^1(18|19|20), then 1(18|19|20): steady/).first()).toBeVisible({ timeout: 40_000 });
});

test("a 3 MB notification and a reading before its time are refused in words, and nothing else is lost", async ({
  coach,
  page,
  server,
}) => {
  await coach.hasPractice();
  const run = await coach.stands([await coach.knows("Rurik Dane")], "multistage-cycle", CYCLE);
  await page.getByRole("button", { name: "Start the clock" }).click();
  await expect(page.getByText("everything is saved")).toBeVisible();
  const event = (kind: object) => ({ id: randomUUID(), device: randomUUID(), seq: 1, mono_ms: 0, wall: new Date().toISOString(), ...kind });
  const post = async (kind: object) => {
    const answer = await page.request.post(`${server.url}/api/runs/${run}/events`, { data: { events: [event(kind)] } });
    return { status: answer.status(), message: ((await answer.json()) as { message: string }).message };
  };
  const large = await post({ kind: "strap_heard", bytes: "16".repeat(1_500_000), heard: null });
  expect(large.status).toBeGreaterThanOrEqual(400);
  expect(large.message.length).toBeGreaterThan(10);
  const long = await post({ kind: "strap_heard", bytes: "16".repeat(2000), heard: null });
  expect(long).toEqual({ status: 422, message: "A notification this long does not come from a heart-rate strap." });
  const early = await post({ kind: "heart_rate_read", stage: 1, minute: 3, bpm: 120 });
  expect(early.status).toBe(422);
  expect(early.message).toContain("Minute 3 is full at 3:00");
  const view = await (await page.request.get(`${server.url}/api/runs/${run}`)).json();
  expect(view.state.status).toBe("running");
});
