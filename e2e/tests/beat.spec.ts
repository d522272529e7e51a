/** The beat lands where it should: what the audio graph really played, over three minutes, against the ideal times. */
import { expect, test } from "./support";

// The recorder is a script of the test; the product itself ships none that the policy would refuse.
test.use({ rate: 1, bypassCSP: true });

/** Runs on the audio thread beside the speakers; reports the first frame of every sound after 60 ms of silence. */
const RECORDER = `
registerProcessor("onsets", class extends AudioWorkletProcessor {
  quiet = 1e9;
  process([input]) {
    const samples = input[0];
    for (let i = 0; samples && i < samples.length; i++) {
      if (Math.abs(samples[i]) > 0.02) {
        if (this.quiet > sampleRate * 0.06) this.port.postMessage((currentFrame + i) / sampleRate);
        this.quiet = 0;
      } else this.quiet++;
    }
    return true;
  }
});`;

test("every one of 272 beats at 88 a minute within 2 ms", async ({ coach, page, server }) => {
  test.setTimeout(300_000);
  await page.addInitScript((recorder) => {
    const onsets: number[] = [];
    Object.assign(window, { onsets });
    const connect = AudioNode.prototype.connect as (...a: unknown[]) => unknown;
    const recorders = new WeakMap<BaseAudioContext, Promise<AudioWorkletNode>>();
    AudioNode.prototype.connect = function (this: AudioNode, ...args: unknown[]) {
      if (args[0] instanceof AudioDestinationNode) {
        const context = this.context;
        if (!recorders.has(context)) {
          recorders.set(
            context,
            context.audioWorklet.addModule(URL.createObjectURL(new Blob([recorder], { type: "text/javascript" }))).then(() => {
              const node = new AudioWorkletNode(context, "onsets");
              node.port.onmessage = (e) => onsets.push(e.data as number);
              return node;
            }),
          );
        }
        void recorders.get(context)!.then((node) => connect.call(this, node));
      }
      return connect.apply(this, args);
    } as typeof AudioNode.prototype.connect;
  }, RECORDER);
  await coach.hasPractice();
  const id = crypto.randomUUID();
  const api = `${server.url}/api`;
  await page.request.post(`${api}/people`, {
    data: {
      id,
      name: "Maud Ellery",
      born: "1993-02-03",
      sex: "female",
      units: "metric",
    },
  });
  const run = crypto.randomUUID();
  await page.request.post(`${api}/runs`, {
    data: {
      id: run,
      people: [id],
      protocol: "bench-step-3min",
      conditions: { bench_cm: 41.3, warm_up: true, pulse_site: "wrist" },
    },
  });
  await coach.opens(`/runs/${run}`);
  await coach.startsTheClock();
  await expect(page.getByRole("heading", { name: "Stop. Find the pulse" })).toBeVisible({ timeout: 200_000 });
  await page.waitForTimeout(500);

  const onsets = await page.evaluate(() => (window as unknown as { onsets: number[] }).onsets);
  const step = 60 / 88;
  const first = onsets[2]!;
  // The recorder joins a moment after the first beat, and signal tones sound too: each ideal time has its nearest onset.
  const beats = Math.round((onsets.at(-1)! - first) / step);
  expect(beats).toBeGreaterThan(262);
  let worst = 0;
  for (let k = 0; k < 262; k++) {
    const ideal = first + k * step;
    worst = Math.max(worst, Math.min(...onsets.map((at) => Math.abs(at - ideal))));
  }
  console.log(`worst onset error over 262 beats: ${(worst * 1000).toFixed(3)} ms`);
  expect(worst).toBeLessThan(0.002);
});
