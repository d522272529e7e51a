import { heardNow } from "@/floor/audioTie";

/** Eight beeps a second apart, and how late somebody who taps along hears them. */
const BEEPS = 8;
const APART_S = 1;

/** The middle one of these. */
const median = (all: number[]) => [...all].sort((a, b) => a - b)[Math.floor(all.length / 2)]!;

/** How late the taps lie after the beeps they belong to, ms: of at least four of them, else nothing. A hand that taps along is early rather
 * than late, so that a small number says that the sound comes in time. */
export function lateness(beepsS: number[], tapsS: number[]): number | null {
  // A loudspeaker may be late by most of the time between two beeps, not by more.
  const late = tapsS.map((tap) => Math.min(...beepsS.map((beep) => tap - beep).filter((s) => s > -0.2)) * 1000);
  const real = late.filter((ms) => Number.isFinite(ms) && ms < APART_S * 800);
  return real.length < 4 ? null : Math.max(0, Math.round(median(real)));
}

export class SoundCheck {
  private context: AudioContext | null = null;
  private beeps: number[] = [];
  private taps: number[] = [];

  /** Plays them; false where the browser gives no sound. */
  async play(): Promise<boolean> {
    this.context ??= new AudioContext({ latencyHint: "interactive" });
    const { context } = this;
    await Promise.race([context.resume(), new Promise((done) => setTimeout(done, 1000))]);
    if (context.state !== "running") return false;
    this.taps = [];
    const first = context.currentTime + 0.4;
    this.beeps = Array.from({ length: BEEPS }, (_, k) => first + k * APART_S);
    for (const at of this.beeps) {
      const oscillator = new OscillatorNode(context, { frequency: 1000 });
      const gain = new GainNode(context, { gain: 0.8 });
      oscillator.connect(gain).connect(context.destination);
      oscillator.start(at);
      oscillator.stop(at + 0.2);
    }
    await new Promise((done) => setTimeout(done, (BEEPS * APART_S + 0.6) * 1000));
    return true;
  }

  tap() {
    // What the device itself knows of its latency is no lateness: it is sent earlier by that already.
    if (this.context) this.taps.push(heardNow(this.context));
  }

  lateMs = () => lateness(this.beeps, this.taps);

  async close() {
    await this.context?.close().catch(() => undefined);
    this.context = null;
  }
}
