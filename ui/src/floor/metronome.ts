/**
 * The beat, scheduled ahead on the audio clock from the server's timeline.
 *
 * Every beat's onset is computed from the first one, never from the one before, so nothing adds up; the scheduler only
 * has to come round often enough to stay ahead. What is drawn asks {@link Metronome.positionMs}, which reads the same
 * clock, so eye and ear agree.
 */
import { AudioTie, heardNow } from "@/floor/audioTie";
import type { Beat } from "@/api/types";
import { beatAt, beatMs } from "@/logic/beat";
import type { Moment, Signal } from "@/logic/beeps";

/** How far ahead beats are handed to the audio thread, seconds: more than a hidden tab's slowest timer. */
const AHEAD_S = 2.5;
const LOOK_EVERY_MS = 200;
/** What is so late is not sounded any more, s: a beep at the wrong moment is worse than none. */
const TOO_LATE_S = 0.15;
/** Further apart than this the audio clock is tied to the run's clock anew, s: what was handed over sounds as it was. */
const ADRIFT_S = 0.25;
/** And this far apart it has stood still, as on a device that slept: what was handed over is at the wrong moment and falls silent, s. */
const ASLEEP_S = 0.6;

/** What begins so soon is not taken back any more, s. */
const NOT_BEGUN_S = 0.05;

export type Tone = "go" | "stop" | "count" | "ten";

export class Metronome {
  private context: AudioContext | null = null;
  private out: GainNode | null = null;
  private timer: number | undefined;
  private next = 0;
  private ties: AudioTie | null = null;
  private click: AudioBuffer | null = null;
  private accent: AudioBuffer | null = null;
  private signals: Record<Signal, AudioBuffer> | null = null;
  private elapsed: (() => number) | null = null;
  /** Beeps, in order of time, and which is handed over next. */
  private moments: Moment[] = [];
  private nextMoment = 0;
  /** What was handed over and may not have begun. */
  private handed: { source: AudioBufferSourceNode; at: number; moment: number }[] = [];
  /** How much earlier everything is sent because the loudspeaker is late, ms. */
  delayMs = 0;
  /** What could not be sounded in time, since it was asked for last. */
  private unsounded: Moment[] = [];

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
    this.open(this.context);
    this.signals ??= signals(this.context);
    this.elapsed = elapsedMs;
    this.ties = new AudioTie(elapsedMs, this.rate);
    this.tie();
    window.clearInterval(this.timer);
    this.timer = window.setInterval(() => this.schedule(), LOOK_EVERY_MS);
    this.schedule();
  }

  /** The course was decided further: the same beat, until another moment. */
  follow(beat: Beat | null) {
    this.beat = beat;
  }

  /** Beeps at these moments from now on; what was handed over of others falls silent. */
  followBeeps(moments: Moment[]) {
    this.moments = moments;
    if (!this.sounding || !this.context) return;
    this.open(this.context);
    this.look(this.elapsed?.() ?? 0);
    this.schedule();
  }

  /** What did not sound in time, once. */
  takeUnsounded(): Moment[] {
    const found = this.unsounded;
    this.unsounded = [];
    return found;
  }

  /** Ties the audio clock to the run's. */
  private tie() {
    if (!this.context || !this.elapsed) return;
    // A beat counts from its first stroke; only beeps follow the run's clock on.
    this.ties?.tie(this.context, this.moments.length === 0);
    this.look(this.elapsed());
  }

  /** A way to the loudspeaker; what went another way falls silent. */
  private open(context: AudioContext) {
    this.handed = [];
    this.out?.disconnect();
    this.out = context.createGain();
    this.out.connect(context.destination);
  }

  /** From this moment of the run's clock on, beats and beeps are handed over. */
  private look(ms: number) {
    this.next = this.firstBeatAfter(ms);
    this.nextMoment = this.firstMomentAfter(ms);
  }

  private firstMomentAfter(ms: number) {
    const found = this.moments.findIndex((m) => m.atMs >= ms);
    return found < 0 ? this.moments.length : found;
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
    return (Math.max(heardNow(this.context), 0) - this.zero) * 1000 * this.rate;
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

  private scheduleBeeps(context: AudioContext, out: GainNode) {
    const until = context.currentTime + AHEAD_S;
    for (; this.nextMoment < this.moments.length; this.nextMoment++) {
      const moment = this.moments[this.nextMoment]!;
      const at = this.audioTime(moment.atMs);
      if (at > until) break;
      if (at < context.currentTime - TOO_LATE_S) {
        this.unsounded.push(moment);
        continue;
      }
      const source = new AudioBufferSourceNode(context, { buffer: this.signals![moment.signal] });
      source.connect(out);
      source.start(Math.max(at, context.currentTime));
      this.handed = [...this.handed.filter((h) => h.at > context.currentTime), { source, at, moment: this.nextMoment }];
      this.ties?.firm();
    }
  }

  private get zero() {
    return this.ties?.zero ?? 0;
  }

  /** What was handed over and has not begun is taken back, and handed over at its moment. */
  private handOverAnew(context: AudioContext) {
    const early = this.handed.filter((h) => h.at > context.currentTime + NOT_BEGUN_S);
    for (const { source } of early) source.stop();
    this.handed = [];
    if (early.length) this.nextMoment = Math.min(...early.map((h) => h.moment));
  }

  private audioTime(runMs: number) {
    return this.zero + runMs / 1000 / this.rate - this.delayMs / 1000;
  }

  private beatMs(k: number) {
    return this.beat ? beatMs(this.beat, k) : Infinity;
  }

  private firstBeatAfter(ms: number) {
    if (!this.beat) return 0;
    const { index, part } = beatAt(this.beat, ms);
    return Math.max(0, part > 0 ? index + 1 : index);
  }

  /** After a sleep the audio clock is behind the run's: what was missed is named, and the rest sounds at its time. */
  private wake() {
    if (!this.context || !this.elapsed || !this.out || !this.ties) return;
    const behind = Math.abs(this.ties.behind(this.context));
    if (behind < ADRIFT_S) {
      if (this.ties.look(this.context)) this.handOverAnew(this.context);
      return;
    }
    if (behind < ASLEEP_S) {
      this.ties.tie(this.context, true);
      return this.handOverAnew(this.context);
    }
    const handedOver = this.moments.slice(0, this.nextMoment).filter((m) => this.audioTime(m.atMs) > this.context!.currentTime);
    this.open(this.context);
    const from = this.nextMoment;
    this.tie();
    const missed = [...handedOver.filter((m) => m.atMs < this.elapsed!()), ...this.moments.slice(from, this.nextMoment)];
    this.unsounded.push(...missed);
  }

  private schedule() {
    if (!this.context || !this.out) return;
    if (this.moments.length > 0) this.wake();
    this.scheduleBeeps(this.context, this.out);
    if (!this.beat) return;
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

/** Signals that differ for line, turn and stage, and carry through a hall: square-edged, each from its first sample on. */
function signals(context: BaseAudioContext): Record<Signal, AudioBuffer> {
  return {
    start: pips(context, [[1400, 0.5]]),
    stage: pips(context, [
      [1200, 0.14],
      [0, 0.06],
      [1200, 0.14],
      [0, 0.06],
      [1600, 0.22],
    ]),
    line: pips(context, [[1000, 0.26]]),
    turn: pips(context, [[660, 0.12]]),
    rest: pips(context, [
      [780, 0.22],
      [520, 0.4],
    ]),
  };
}

/** Tones one after the other: pitch, Hz, and length, s; no pitch is a silence. */
function pips(context: BaseAudioContext, parts: [number, number][]): AudioBuffer {
  const rate = context.sampleRate;
  const buffer = new AudioBuffer({ length: Math.ceil(parts.reduce((sum, [, s]) => sum + s, 0) * rate), sampleRate: rate });
  const samples = buffer.getChannelData(0);
  let at = 0;
  for (const [pitch, seconds] of parts) {
    const length = Math.floor(seconds * rate);
    for (let i = 0; pitch > 0 && i < length; i++) {
      const turn = (2 * Math.PI * pitch * i) / rate;
      // The third overtone makes it cut through voices and steps.
      const tone = 0.75 * Math.cos(turn) + 0.2 * Math.cos(3 * turn);
      samples[at + i] = tone * Math.min(1, (length - i) / (0.02 * rate));
    }
    at += length;
  }
  return buffer;
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
