/**
 * The beat, scheduled ahead on the audio clock from the server's timeline.
 *
 * Every beat's onset is computed from the first one, never from the one before, so nothing adds up; the scheduler only
 * has to come round often enough to stay ahead. What is drawn asks {@link Metronome.positionMs}, which reads the same
 * clock, so eye and ear agree.
 */
import type { Beat } from "@/api/types";
import { beatAt, beatMs } from "@/logic/beat";

/** How far ahead beats are handed to the audio thread, seconds: more than a hidden tab's slowest timer. */
const AHEAD_S = 2.5;
const LOOK_EVERY_MS = 200;

export type Tone = "go" | "stop" | "count" | "ten";

export class Metronome {
  private context: AudioContext | null = null;
  private out: GainNode | null = null;
  private timer: number | undefined;
  private next = 0;
  /** The audio time at which the run's clock stood at 0. */
  private zero = 0;
  private click: AudioBuffer | null = null;
  private accent: AudioBuffer | null = null;

  /** `rate`: how fast the run's clock passes; 1 in every build but the test build. */
  constructor(
    private beat: Beat | null,
    private readonly rate: number,
  ) {}

  get sounding() {
    return this.context?.state === "running" && this.timer !== undefined;
  }

  /** Starts sounding; must be called from a touch or a key. `elapsedMs` is the run's clock now. */
  async start(elapsedMs: () => number) {
    this.context ??= new AudioContext({ latencyHint: "interactive" });
    await this.context.resume();
    // What was handed over by an earlier start is not heard beside this one.
    this.stop();
    this.click ??= tick(this.context, 1050);
    this.accent ??= tick(this.context, 1600);
    this.out = this.context.createGain();
    this.out.connect(this.context.destination);
    this.zero = this.context.currentTime - elapsedMs() / 1000 / this.rate;
    this.next = this.firstBeatAfter(elapsedMs());
    window.clearInterval(this.timer);
    this.timer = window.setInterval(() => this.schedule(), LOOK_EVERY_MS);
    this.schedule();
  }

  /** The course was decided further: the same beat, until another moment. */
  follow(beat: Beat | null) {
    this.beat = beat;
  }

  /** Silence at once, beats already handed over included. */
  stop() {
    window.clearInterval(this.timer);
    this.timer = undefined;
    this.out?.disconnect();
    this.out = null;
  }

  /** Gives the audio device back. */
  async close() {
    this.stop();
    await this.context?.close().catch(() => undefined);
    this.context = null;
  }

  /** The run's clock by the audio clock, ms; nothing while silent. */
  positionMs(): number | null {
    if (!this.sounding || !this.context) return null;
    const heard = this.context.getOutputTimestamp().contextTime ?? this.context.currentTime;
    return (Math.max(heard, 0) - this.zero) * 1000 * this.rate;
  }

  /** A signal at a moment of the run's clock. */
  tone(kind: Tone, atMs: number) {
    if (!this.context || !this.out) return;
    const at = Math.max(this.audioTime(atMs), this.context.currentTime);
    const pitches = { go: [880], stop: [660, 440], count: [990, 990], ten: [740] }[kind];
    pitches.forEach((pitch, k) => this.beep(pitch, at + k * 0.16));
  }

  private beep(pitch: number, at: number) {
    if (!this.context || !this.out) return;
    const oscillator = new OscillatorNode(this.context, { frequency: pitch });
    const gain = new GainNode(this.context, { gain: 0 });
    gain.gain.setValueAtTime(0, at);
    gain.gain.linearRampToValueAtTime(0.4, at + 0.01);
    gain.gain.linearRampToValueAtTime(0, at + 0.13);
    oscillator.connect(gain).connect(this.out);
    oscillator.start(at);
    oscillator.stop(at + 0.15);
  }

  private audioTime(runMs: number) {
    return this.zero + runMs / 1000 / this.rate;
  }

  private beatMs(k: number) {
    return this.beat ? beatMs(this.beat, k) : Infinity;
  }

  private firstBeatAfter(ms: number) {
    if (!this.beat) return 0;
    const { index, part } = beatAt(this.beat, ms);
    return Math.max(0, part > 0 ? index + 1 : index);
  }

  private schedule() {
    if (!this.context || !this.out || !this.beat) return;
    const until = this.context.currentTime + AHEAD_S;
    for (; this.beatMs(this.next) < this.beat.until_ms && this.audioTime(this.beatMs(this.next)) < until; this.next++) {
      const source = new AudioBufferSourceNode(this.context, {
        buffer: this.next % this.beat.places.length === 0 ? this.accent : this.click,
      });
      source.connect(this.out);
      source.start(Math.max(this.audioTime(this.beatMs(this.next)), this.context.currentTime));
    }
  }
}

/** A short, sharp click: a decaying sine that starts at its peak. */
function tick(context: BaseAudioContext, pitch: number): AudioBuffer {
  const length = Math.floor(context.sampleRate * 0.04);
  const buffer = new AudioBuffer({ length, sampleRate: context.sampleRate });
  const samples = buffer.getChannelData(0);
  for (let i = 0; i < length; i++)
    samples[i] = 0.7 * Math.cos((2 * Math.PI * pitch * i) / context.sampleRate) * Math.exp((-7 * i) / length);
  return buffer;
}
