/** A real server on a database of its own, and the verbs of a coach. */
import { execFileSync, spawn, type ChildProcess } from "node:child_process";
import { randomUUID } from "node:crypto";
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { createServer } from "node:net";
import { test as base, expect, type Page } from "@playwright/test";
import { create, env, PROGRAM, root, variables } from "./database";

/** A coach's first practice, made through the interface's own route. */
export const ACCOUNT = {
  practice: "Quay House",
  time_zone: "UTC",
  coach: "Ada Brandt",
  email: "ada@example.org",
  password: "a password for tests",
};

async function freePort(): Promise<number> {
  return new Promise((done) => {
    const server = createServer().listen(0, "127.0.0.1", () => {
      const { port } = server.address() as { port: number };
      server.close(() => done(port));
    });
  });
}

export class Server {
  private child: ChildProcess | undefined;
  private constructor(
    readonly port: number,
    private readonly database: string,
    private readonly rate: number,
  ) {}

  get url() {
    return `http://127.0.0.1:${this.port}`;
  }

  /** A server on a fresh, migrated database. `rate`: how fast a run's clock passes. */
  static async fresh(rate: number, demo = false): Promise<Server> {
    const server = new Server(await freePort(), create(env(demo ? "IMPULSO_TEST_DEMO" : "IMPULSO_TEST_EMPTY")), rate);
    await server.start();
    return server;
  }

  async start() {
    const set = { IMPULSO_PORT: String(this.port), IMPULSO_CLOCK_RATE: String(this.rate), IMPULSO_FOUNDINGS_AN_HOUR: "1000" };
    this.child = spawn(PROGRAM, ["serve"], { env: { ...variables(this.database), ...set }, stdio: "ignore" });
    for (let i = 0; i < 100; i++) {
      const up = await fetch(`${this.url}/api/health`).catch(() => null);
      if (up?.ok) return;
      await new Promise((r) => setTimeout(r, 100));
    }
    throw new Error("the server did not come up");
  }

  /** No goodbye: as a power cut would. */
  async kill() {
    if (this.child?.signalCode) return;
    const gone = new Promise((r) => this.child?.once("exit", r));
    this.child?.kill("SIGKILL");
    await gone;
  }
}

/** Stops or starts the database cluster that every test uses. */
export function cluster(what: "stop" | "start") {
  const port = new URL(env("IMPULSO_TEST_OWNER_URL")).port;
  const line = what === "stop" ? `cluster_stop "$1"` : `cluster_start "$1" ${port} fsync=off max_connections=300`;
  execFileSync("bash", ["-c", `. "${root}/script/lib/common.sh"; ${line}`, "-", env("IMPULSO_TEST_DATA")]);
}

/** What a coach does, by the words on the screen. */
export class Coach {
  constructor(
    readonly page: Page,
    readonly server: Server,
  ) {}

  async hasPractice() {
    await this.page.request.post(`${this.server.url}/api/practices`, {
      data: ACCOUNT,
    });
  }

  async signsInToDemo() {
    const { demo } = await (await this.page.request.get(`${this.server.url}/api/welcome`)).json();
    await this.page.request.post(`${this.server.url}/api/session`, {
      data: demo,
    });
  }

  /** A client by the interface's own routes, ready to be tested. */
  async knows(name: string, born = "1986-04-02", sex: "male" | "female" = "male"): Promise<string> {
    const id = randomUUID();
    const person = { id, name, born, sex, units: "metric", height: "178", mass: "70 kg" };
    const api = `${this.server.url}/api/people`;
    expect((await this.page.request.post(api, { data: person })).ok()).toBeTruthy();
    const answers = { regularly_active: true, known_disease: false, symptoms: [], rate_limiting_drug: false };
    await this.page.request.post(`${api}/${id}/readiness`, { data: { answers } });
    return id;
  }

  /** Sets a test up by the interface's own route and stands on its floor. */
  async stands(people: string[], protocol: string, conditions: object, more: object = {}): Promise<string> {
    const id = randomUUID();
    const made = await this.page.request.post(`${this.server.url}/api/runs`, { data: { id, people, protocol, conditions, ...more } });
    expect(made.ok(), await made.text()).toBeTruthy();
    await this.opens(`/runs/${id}`);
    await expect(this.page.getByRole("button", { name: /^(Start the clock|Begin)$/ })).toBeVisible();
    return id;
  }

  /** Types a number when it is due. */
  async reads(label: string | RegExp, value: string) {
    const field = this.page.getByLabel(label, { exact: typeof label === "string" });
    await expect(field).toBeEnabled({ timeout: 90_000 });
    await field.fill(value);
    await this.page.keyboard.press("Enter");
  }

  async signsInAgain() {
    const again = this.page.getByRole("dialog", { name: /session has ended/ });
    await again.getByLabel("Email address").fill(ACCOUNT.email);
    await again.getByLabel("Password").fill(ACCOUNT.password);
    await again.getByRole("button", { name: "Sign in" }).click();
    await expect(again).toBeHidden();
  }

  async opens(path: string) {
    await this.page.goto(this.server.url + path);
  }

  /** Adds a client through the form; ends on Readiness. */
  async adds(name: string) {
    await this.opens("/people/new");
    await this.page.getByLabel("Name", { exact: true }).fill(name);
    await this.page.getByLabel("Birth date").fill("1990-04-02");
    await this.page.getByText("Men’s", { exact: true }).click();
    await this.page.getByLabel("Height").fill("5'10");
    await this.page.getByLabel("Body mass").fill("80 kg");
    await this.page.getByLabel(/Goal/).fill("climb the tower");
    await this.page.getByRole("button", { name: "Save and check readiness" }).click();
    await this.page.waitForURL(/readiness/);
  }

  /** Answers for someone who trains and is well; ends on the choice of a test. */
  async isReady() {
    await this.answersForReadiness();
    await this.page.getByRole("button", { name: "Save and choose a test" }).click();
    await this.page.waitForURL(/assess$/);
  }

  /** The same, and does not keep it yet. */
  async answersForReadiness() {
    const yes = (label: string, words: string) => this.page.getByRole("group", { name: label }).getByText(words, { exact: true }).click();
    await yes("Regularly active?", "Yes");
    await yes("A known disease?", "No");
    await yes("A medicine that lowers the heart rate?", "No");
    await this.page.getByText("None of them").click();
    await expect(this.page.getByText("Nothing here speaks against testing today.")).toBeVisible();
  }

  /** Opens a part of the library where a test is chosen. */
  async opensPart(name: string) {
    await this.page.locator("summary").filter({ hasText: name }).click();
  }

  /** From the choice of a test to the floor. */
  async setsUp(bench = "41.3", warmUp = "Yes") {
    if (!(await this.page.locator("details[open]").count())) await this.opensPart("Aerobic");
    await this.page.getByRole("listitem").filter({ hasText: "3-minute bench step" }).getByRole("link").click();
    await this.page.getByLabel("Bench height").fill(bench);
    await this.page.getByRole("group", { name: "Was the warm-up done?" }).getByText(warmUp, { exact: true }).click();
    await this.page.getByRole("radiogroup").getByText("at the wrist").click();
    await this.page.getByRole("button", { name: "Start test" }).click();
    await this.page.waitForURL(/runs\//);
  }

  /** A client on the floor, clock not started. */
  async standsReady(name = "Joren Askvik") {
    await this.hasPractice();
    await this.adds(name);
    await this.isReady();
    await this.setsUp();
  }

  async startsTheClock() {
    await this.page.getByRole("button", { name: "Start the clock" }).click();
    await expect(this.page.getByRole("heading", { name: /^(Get ready|Step)$/ })).toBeVisible();
  }

  get window() {
    return this.page.getByText("Tap anywhere on each beat");
  }

  get entry() {
    return this.page.getByLabel("Beats in 15 s");
  }

  /** Waits until the count may be typed. */
  async countIsDue() {
    await expect(this.entry).toBeEnabled({ timeout: 130_000 });
  }

  async types(count: string) {
    await this.entry.fill(count);
    await this.page.keyboard.press("Enter");
  }

  async keepsTheResult() {
    await this.page.getByRole("button", { name: /Save result/ }).click();
    await this.page.waitForURL(/results\//);
  }

  /** Taps a steady pulse with the T key for a while, timed inside the page. `rate` as the server's clock. */
  async tapsAlong(bpm: number, rate: number, forMs: number) {
    await this.page.evaluate(
      async ([bpm, rate, forMs]) => {
        const step = 60000 / bpm! / rate!;
        const begin = performance.now();
        for (let k = 0; k * step < forMs!; k++) {
          while (performance.now() < begin + k * step) await new Promise((r) => setTimeout(r, 1));
          document.body.dispatchEvent(new KeyboardEvent("keydown", { key: "t", bubbles: true }));
        }
      },
      [bpm, rate, forMs],
    );
  }

  /** Taps a steady pulse through the window with the T key, timed inside the page. `rate` as the server's clock. */
  async taps(bpm: number, rate: number) {
    await this.window.waitFor({ timeout: 130_000 });
    await this.page.evaluate(
      async ([bpm, rate]) => {
        const step = 60000 / bpm! / rate!;
        const begin = performance.now() + 20;
        for (let k = 0; document.body.innerText.includes("Tap anywhere"); k++) {
          while (performance.now() < begin + k * step) await new Promise((r) => setTimeout(r, 1));
          document.body.dispatchEvent(new KeyboardEvent("keydown", { key: "t", bubbles: true }));
        }
      },
      [bpm, rate],
    );
  }
}

const axe = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");

/** axe finds nothing serious on the page as it is now. */
export async function isClean(page: Page, name: string) {
  await page.waitForTimeout(300);
  // A colour on its way to another is neither.
  await page.waitForFunction(() => document.getAnimations().every((a) => !(a instanceof CSSTransition) || a.playState !== "running"));
  await page.evaluate(axe);
  const found = await page.evaluate(async () => {
    const { axe } = window as unknown as {
      axe: {
        run: (o: object) => Promise<{
          violations: {
            id: string;
            impact: string;
            nodes: { html: string }[];
          }[];
        }>;
      };
    };
    const { violations } = await axe.run({
      runOnly: ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"],
    });
    return violations
      .filter((v) => v.impact === "serious" || v.impact === "critical")
      .map((v) => `${v.id}: ${v.nodes[0]!.html.slice(0, 160)}`);
  });
  expect(found, name).toEqual([]);
}

interface Fixtures {
  /** How fast a run's clock passes in this file. */
  rate: number;
  demo: boolean;
  server: Server;
  coach: Coach;
}

export const test = base.extend<Fixtures>({
  rate: [12, { option: true }],
  demo: [false, { option: true }],
  server: async ({ rate, demo }, use) => {
    const server = await Server.fresh(rate, demo);
    await use(server);
    await server.kill();
  },
  coach: async ({ page, server }, use) => {
    const problems: string[] = [];
    page.on("pageerror", (error) => problems.push(error.message));
    await use(new Coach(page, server));
    expect(problems, "errors in the page").toEqual([]);
  },
});
export { expect };
