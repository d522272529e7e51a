/** The other family of browsers, which tablets run: Debian's WebKit, driven over its own WebDriver. */
import { spawn, type ChildProcess } from "node:child_process";
import { existsSync, readdirSync } from "node:fs";
import { createServer } from "node:net";
import { expect } from "@playwright/test";

const freePort = () =>
  new Promise<number>((done) => {
    const server = createServer().listen(0, "127.0.0.1", () => {
      const { port } = server.address() as { port: number };
      server.close(() => done(port));
    });
  });
/** The key under which WebDriver hands an element over. */
const ELEMENT = "element-6066-11e4-a52e-4f735466cecf";

export class WebKit {
  private constructor(
    private readonly processes: ChildProcess[],
    private readonly session: string,
  ) {}

  /** A browser on a screen of its own. */
  static async open(): Promise<WebKit> {
    const screen = spawn("Xvfb", ["-displayfd", "1", "-screen", "0", "1280x800x24"], { stdio: ["ignore", "pipe", "ignore"] });
    const display = await new Promise<string>((done) => screen.stdout!.once("data", (data: Buffer) => done(String(data).trim())));
    const port = await freePort();
    const driver = spawn("WebKitWebDriver", [`--port=${port}`], {
      env: { ...process.env, DISPLAY: `:${display}`, WEBKIT_DISABLE_COMPOSITING_MODE: "1", WEBKIT_FORCE_SANDBOX: "0" },
      stdio: "ignore",
    });
    const base = `http://127.0.0.1:${port}`;
    await expect
      .poll(
        () =>
          fetch(`${base}/status`)
            .then((r) => r.ok)
            .catch(() => false),
        { timeout: 15_000 },
      )
      .toBe(true);
    const places = readdirSync("/usr/lib").map((folder) => `/usr/lib/${folder}/webkit2gtk-4.1/MiniBrowser`);
    const binary = places.find((place) => existsSync(place));
    const options = { binary, args: ["--automation"] };
    const made = await fetch(`${base}/session`, {
      method: "POST",
      body: JSON.stringify({ capabilities: { alwaysMatch: { "webkitgtk:browserOptions": options } } }),
    });
    const { value } = (await made.json()) as { value: { sessionId: string } };
    return new WebKit([driver, screen], `${base}/session/${value.sessionId}`);
  }

  private async ask<T>(method: string, path: string, body?: object): Promise<T> {
    const answer = await fetch(`${this.session}${path}`, { method, body: body && JSON.stringify(body) });
    const { value } = (await answer.json()) as { value: T };
    if (!answer.ok) throw new Error(`${path}: ${JSON.stringify(value)}`);
    return value;
  }

  goto = (url: string) => this.ask("POST", "/url", { url });
  url = () => this.ask<string>("GET", "/url");
  /** What stands on the page. */
  text = () => this.ask<string>("POST", "/execute/sync", { script: "return document.body.innerText", args: [] });

  /** Waits until something stands on the page. */
  async shows(what: string | RegExp, timeout = 20_000) {
    await expect.poll(() => this.text().catch(() => ""), { timeout }).toMatch(what);
  }

  /** Waits until everything of these endings is here. */
  async has(...endings: string[]) {
    const script = "return performance.getEntriesByType('resource').filter((r) => r.responseEnd > 0).map((r) => r.name)";
    const names = () => this.ask<string[]>("POST", "/execute/sync", { script, args: [] });
    for (const ending of endings)
      await expect.poll(async () => (await names()).some((name) => name.endsWith(ending)), { timeout: 20_000 }).toBe(true);
  }

  private async element(xpath: string): Promise<string> {
    let found = "";
    await expect
      .poll(async () => {
        const one = await this.ask<Record<string, string>>("POST", "/element", { using: "xpath", value: xpath }).catch(() => null);
        return (found = one?.[ELEMENT] ?? "");
      })
      .not.toBe("");
    return found;
  }

  /** Presses the button that says this. */
  async press(words: string) {
    await this.ask("POST", `/element/${await this.element(`//button[contains(normalize-space(), "${words}")]`)}/click`, {});
  }

  /** Types into the field of this label, with Enter where it is wanted. */
  async types(label: string, text: string, enter = false) {
    const of = `//input[@id = //label[contains(normalize-space(), "${label}")]/@for] | //label[contains(normalize-space(), "${label}")]//input | //input[@aria-label = "${label}"]`;
    await this.ask("POST", `/element/${await this.element(of)}/value`, { text: enter ? `${text}\uE007` : text });
  }

  async close() {
    await this.ask("DELETE", "").catch(() => undefined);
    for (const one of this.processes) one.kill();
  }
}
