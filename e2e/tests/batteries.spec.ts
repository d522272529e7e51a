/**
 * Batteries from the first visit to the verdicts of the second: the first as it stands on paper, the second led by the screen,
 * with one test of each on the floor and the others as another device types them.
 */
import { randomUUID } from "node:crypto";
import { test, expect, isClean, type Coach } from "./support";
import type { Page } from "@playwright/test";

type Given = Record<string, unknown>;
/** Readings and circumstances of a test, by its id. */
type Typed = Record<string, [readings: Given, conditions?: Given]>;
interface Row {
  place: number;
  protocol: string;
  name: string;
  stand: string;
  waits: string | null;
}

/** A key of today, as the interface makes them: later ones are larger. */
function key() {
  const [now, random] = [Date.now().toString(16).padStart(12, "0"), randomUUID()];
  return `${now.slice(0, 8)}-${now.slice(8)}-7${random.slice(15)}`;
}

/** A client's visits by the interface's own routes. */
class Visits {
  constructor(
    private readonly coach: Coach,
    private readonly page: Page,
    private readonly person: string,
  ) {}

  private async asks(path: string) {
    return (await this.page.request.get(`${this.coach.server.url}/api${path}`)).json();
  }

  private async says(path: string, data: object) {
    const answer = await this.page.request.post(`${this.coach.server.url}/api${path}`, { data });
    expect(answer.ok(), `${path}: ${await answer.text()}`).toBeTruthy();
    return answer.json();
  }

  async types(visit: string, row: Row, [inputs, conditions = {}]: [Given, Given?]) {
    const { on } = await this.asks(`/visits/${visit}`);
    const place = { visit, place: row.place };
    await this.says(`/people/${this.person}/results`, { id: key(), protocol: row.protocol, on, inputs, conditions, visit: place });
  }

  async next(visit: string): Promise<Row | null> {
    const page = await this.asks(`/visits/${visit}`);
    return page.next && page.rows.find((r: Row) => r.place === page.next.place);
  }

  async leaves(visit: string, row: Row, reason: string) {
    await this.says(`/visits/${visit}/events`, { id: key(), event: { kind: "skipped", place: row.place, reason } });
  }

  /** A whole visit from paper; what is not typed is left out. */
  async onPaper(battery: string, conditions: Given, typed: Typed) {
    const { id } = await this.says(`/people/${this.person}/visits`, { id: key(), battery, conditions });
    for (let row = await this.next(id); row; row = await this.next(id)) {
      const of = typed[row.protocol];
      await (of ? this.types(id, row, of) : this.leaves(id, row, "not this time"));
    }
    await this.says(`/visits/${id}/events`, { id: key(), event: { kind: "closed" } });
  }

  /** The second visit on the screen: it says what is next until nothing is; what stands in `live` is done on the floor. */
  async onTheFloor(battery: string, typed: Typed, live: Record<string, () => Promise<void>>) {
    await this.coach.opens(`/people/${this.person}/visits/new?battery=${battery}`);
    await expect(this.page.getByText(/second time, as on/)).toBeVisible();
    // A warm-up is asked each time.
    const warm = this.page.getByRole("group", { name: /warm-up done/ });
    if (await warm.isVisible()) await warm.getByText("Yes", { exact: true }).click();
    await this.page.getByRole("button", { name: "Begin" }).click();
    await this.page.waitForURL(/visits\/.*\/floor/);
    const visit = /visits\/([^/]+)/.exec(this.page.url())![1]!;
    for (let row = await this.next(visit); row; row = await this.next(visit)) {
      await expect(this.page.getByRole("heading", { name: row.name })).toBeVisible();
      const [drive, of] = [live[row.protocol], typed[row.protocol]];
      if (drive) {
        await this.page.keyboard.press("Space");
        await this.page.waitForURL(/runs\//);
        await this.page.getByRole("button", { name: /^(Start the clock|Begin)/ }).click();
        await drive();
        await this.page.getByRole("button", { name: /Save result/ }).click();
        await this.page.waitForURL(/visits\//);
      } else {
        await (of ? this.types(visit, row, of) : this.leaves(visit, row, "not this time"));
        await this.page.reload();
      }
    }
    await this.page.waitForURL(/visits\/[0-9a-f-]+$/);
  }

  /** The three sentences. */
  taught() {
    return this.page.locator(".learned");
  }
}

const visits = async (coach: Coach, page: Page, name: string, born: string, sex: "male" | "female" = "female") => {
  await coach.hasPractice();
  return new Visits(coach, page, await coach.knows(name, born, sex));
};

test.describe("at the pace of the clock times sixty", () => {
  test.use({ rate: 60 });

  test("four in five minutes: the waist, the floor, the plank, one leg", async ({ coach, page }) => {
    const client = await visits(coach, page, "Maud Ellery", "1969-04-02");
    const typed = (waist: number, supports: number, seconds: number, leg: number): Typed => ({
      body: [{ waist_cm: waist }, { waist_site: "navel" }],
      "sit-rise-floor": [{ supports_down: supports, supports_up: supports }, { barefoot: true }],
      plank: [{ seconds }, { support: "forearm", limit_s: "to_failure" }],
      "one-leg-stance": [{ seconds: { left: [leg], right: [leg] } }, { eyes: "open" }],
    });
    await client.onPaper("four-in-five-minutes", { waist_site: "navel", eyes: "open", barefoot: true }, typed(98, 2, 40, 6));
    const hold = async () => {
      const clock = page.getByRole("timer");
      await expect(async () => expect((await clock.textContent()) ?? "").toMatch(/^[2-9]:/)).toPass({ timeout: 20_000 });
      await page.keyboard.press("Space");
    };
    await client.onTheFloor("four-in-five-minutes", typed(89, 1, 0, 21), { plank: hold });
    await expect(client.taught()).toContainText(/Clear changes since .*waist over height −0.05 \(Body measures, clear gain\)/);
    await expect(page.getByText("Target 2:00: reached.")).toBeVisible();
    await isClean(page, "four in five minutes, the second time");
  });

  test("monthly four: three efforts to failure and the run on the same loop", async ({ coach, page }) => {
    test.setTimeout(120_000);
    const client = await visits(coach, page, "Caspian Rell", "1996-02-01", "male");
    const typed = (reps: number, wall: number, plank: number, laps: number): Typed => ({
      "push-up": [{ reps_toes: reps }, { rule: "to_failure", style: "toes", depth: "floor" }],
      "wall-sit": [{ seconds: [wall] }],
      plank: [{ seconds: plank }, { support: "forearm", limit_s: "to_failure" }],
      "run-12min": [
        { laps, extra_m: 0 },
        { lap_m: 400, warm_up: true, course: "quay loop" },
      ],
    });
    const conditions = { warm_up: true, lap_m: 400, course: "quay loop" };
    await client.onPaper("monthly-four", conditions, typed(22, 60, 90, 3));
    const run = async () => {
      for (let lap = 1; lap <= 5; lap++) {
        await expect(async () => {
          const [minutes, seconds] = ((await page.getByRole("timer").textContent()) ?? "0:00").split(":").map(Number);
          expect(minutes! * 60 + seconds!).toBeGreaterThan(125 * lap);
        }).toPass({ timeout: 20_000, intervals: [60] });
        await page.keyboard.press("Space");
        await expect(page.getByText(`Lap ${lap}:`)).toBeVisible();
      }
      await coach.reads("Part of the last lap", "0");
    };
    await client.onTheFloor("monthly-four", typed(31, 61, 150, 0), { "run-12min": run });
    await expect(client.taught()).toContainText(/Clear changes since .*distance \+800 m \(12-minute run/);
    await expect(page.getByText("1200 m → 2000 m")).toBeVisible();
    // The same range on the visit and in the client's hand. By hand: (2000 − 504.9) / 44.73 = 33.4 mL/kg/min.
    const row = page.getByRole("row").filter({ hasText: "12-minute run" });
    await expect(row).toContainText(/33\.4.*95 % range 2\d to (39|4\d) mL\/kg\/min/);
    const range = /95 % range \d+ to \d+ mL\/kg\/min/.exec((await row.textContent())!)![0];
    await page.getByRole("button", { name: "Make a link" }).click();
    const link = page.getByRole("link", { name: /\/report\/[0-9a-f]{32}$/ });
    await page.goto((await link.getAttribute("href"))!);
    await expect(page.getByRole("row").filter({ hasText: "12-minute run" })).toContainText(range);
  });

  test("twelve weeks: seven tests, what has moved, and the dates of the programme", async ({ coach, page }) => {
    const client = await visits(coach, page, "Noor Haddane", "1988-05-01");
    const typed = (pulse: number, waist: number, reach: number, reps: number, crunches: number, wall: number, later: number): Typed => ({
      "resting-hr": [
        { pulse_count: pulse, pulse_window_s: 15 },
        { posture: "seated", hr_source: "wrist" },
      ],
      body: [{ waist_cm: waist }, { waist_site: "navel" }],
      "sit-reach": [{ distance_cm: [reach, reach + 1] }, { variant: "back_to_wall", warm_up: true }],
      "push-up": [
        { reps_toes: reps, reps_knees: 4 },
        { rule: "one_minute", style: "mixed", depth: "floor" },
      ],
      "crunch-1min": [{ reps: crunches }],
      "wall-sit": [{ seconds: [wall] }],
      "kick-recovery-30s": [
        { reps: 40, hr_0: 160, hr_1: later },
        { warm_up: true, hr_source: "wrist" },
      ],
    });
    const conditions = { posture: "seated", hr_source: "wrist", waist_site: "navel", warm_up: true };
    await client.onPaper("twelve-weeks", conditions, typed(18, 92, 20, 12, 24, 50, 130));
    await client.onTheFloor("twelve-weeks", typed(17, 88, 28, 20, 36, 52, 118), {});
    await expect(client.taught()).toContainText(
      /waist over height −0.02 \(Body measures, clear gain\) and distance \+8.0 cm \(Sit and reach, clear gain\)/,
    );
    await page
      .getByRole("combobox", { name: /How often|Rule|When/ })
      .first()
      .isVisible();
    await isClean(page, "twelve weeks at week 4");
    // A programme that begins today: this visit is its week 0, and what is left are weeks 4, 8 and 12.
    await page.getByLabel("Programme begins").fill(new Date().toISOString().slice(0, 10));
    await expect(page.getByText("in 12 weeks", { exact: true })).toBeVisible();
    await page.getByRole("button", { name: "Save dates" }).click();
    await expect(page.getByText(/weeks 0, 4, 8 and 12 from/)).toBeVisible();
    await page.getByRole("button", { name: "Close the visit" }).click();
    await expect(page.getByRole("button", { name: "Close the visit" })).toBeHidden();
    await page.reload();
    await expect(page.getByText(/in 4 weeks · weeks 0, 4, 8 and 12 from/)).toBeVisible();
  });
});

test.describe("on the floor", () => {
  test.use({ rate: 12 });

  test("the movement screen: the gate opens once every point of the squat was met, and stays shut before", async ({ coach, page }) => {
    const client = await visits(coach, page, "Rurik Dane", "1999-04-02", "male");
    const met = (keys: string[], ...missed: string[]) => Object.fromEntries(keys.map((key) => [key, !missed.includes(key)]));
    const squat = ["chest_up", "neutral_spine", "hips_below_knees", "knees_over_toes", "heels_down"];
    const lunge = ["pole_upright", "pole_contact", "knee_to_board", "feet_in_line", "balance_kept"];
    const hurdle = ["hips_level", "pole_level", "cord_untouched", "foot_straight", "balance_kept"];
    const both = (points: Given) => ({ left: points, right: points });
    const typed = (degrees: number, side: number): Typed => ({
      "straight-leg-raise": [{ degrees: { left: degrees, right: degrees + 2 } }, { warm: true }],
      "shoulder-flexion-floor": [{ points: { low_back_flat: true, elbows_straight: true, thumbs_to_floor: true }, rating: 4 }],
      "shoulder-reach": [{ gap_cm: { left: -3.5, right: 1 }, hand_cm: 18.5 }, { warm: true }],
      "trunk-endurance": [{ side_s: { left: side, right: side }, flexor_s: 140, extensor_s: 150 }],
      "push-up-hand-ladder": [{ position: 4, broke_at: "hips" }],
      "inline-lunge": [{ points: both(met(lunge)), rating: { left: 4, right: 4 } }],
      "hurdle-step": [{ points: both(met(hurdle, "hips_level")), rating: { left: 3, right: 3 } }],
      "air-squat": [{ points: met(squat, "heels_down"), rating: 3 }],
      "overhead-squat": [{ points: met([...squat, "elbows_locked", "bar_not_forward"]), rating: 4 }],
    });
    await client.onPaper("movement-screen", { warm: true }, typed(70, 60));
    const squats = async () => {
      await expect(page.getByRole("button", { name: /not judged/ }).first()).toBeVisible();
      for (const key of ["1", "2", "3", "4", "5"]) await page.keyboard.press(key);
      await page.keyboard.press("Enter");
      await expect(page.getByRole("textbox", { name: /Rating/ })).toBeVisible();
    };
    await client.onTheFloor("movement-screen", typed(84, 90), { "air-squat": squats });
    await expect(page.getByText("Overhead squat").first()).toBeVisible();
    await expect(page.getByText("7 of 7").first()).toBeVisible();
    await expect(client.taught()).toContainText(
      "angle, left +14° (Straight leg raise), side plank, left +30 s (Four trunk holds) and points met +1 (Air squat)",
    );
    await expect(client.taught()).toContainText("this may be chance");
    await isClean(page, "the movement screen, the second time");
  });

  test("older adults: the chair on the floor, a walk or the march, what daily life asks for", async ({ coach, page }) => {
    const client = await visits(coach, page, "Ilse Marten", "1952-04-02");
    const typed = (reps: number, metres: number, reach: number, seconds: number): Typed => ({
      "chair-stand-30s": [{ reps }, { chair_cm: 43 }],
      "arm-curl-30s": [{ reps: reps + 2 }, { side: "right", weight_kg: 2.3 }],
      "walk-6min": [{ distance_m: metres }, { course: "hall", surface: "wood", lap_m: 45.7 }],
      "chair-sit-reach": [{ distance_cm: [reach, reach] }, { side: "right" }],
      "back-scratch": [{ distance_cm: [-6, -6] }, { side: "right" }],
      "up-and-go": [{ time_s: [seconds, seconds] }],
    });
    await client.onPaper("older-adults", { chair_cm: 43, weight_kg: 2.3, course: "hall" }, typed(9, 430, -4, 8.4));
    const chair = async () => {
      const more = page.getByRole("button", { name: /One more/ });
      await expect(more).toBeEnabled({ timeout: 8000 });
      for (let n = 1; n <= 14; n++) await page.keyboard.press("Space");
      await expect(page.getByRole("timer")).toContainText("14");
      await expect(page.getByText(/left$/)).toBeHidden({ timeout: 15_000 });
    };
    await client.onTheFloor("older-adults", typed(0, 520, 3, 6.2), { "chair-stand-30s": chair });
    await expect(page.getByText("9 reps → 14 reps")).toBeVisible();
    await expect(page.getByText("skipped: 6-minute walk instead")).toBeVisible();
    await isClean(page, "older adults, the second time");
    await expect(page.getByRole("heading", { name: "Over time" })).toBeVisible();
    for (const format of ["A4", "Letter"]) {
      const pages = (await page.pdf({ format, printBackground: true })).toString("latin1").match(/\/Type\s*\/Page\b/g);
      expect(pages, `${format}: six tests on one page`).toHaveLength(1);
    }
  });
});
