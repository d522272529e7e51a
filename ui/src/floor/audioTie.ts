/** Ties an audio clock to the run's clock, so that what should be heard at a moment of the run is heard then, on every device alike. */

/** So many looks are kept: five seconds of them. */
const LOOKS = 25;
/** Once something was handed over the tie creeps after the clocks by no more than this a look, s: crystals part by less, and nobody hears it. */
const CREEP_S = 0.00002;
/** An output stamp that is older tells nothing, s. */
const STAMP_OLD_S = 0.5;

/** An audio clock that has lost time (a device that could not keep up) is seen by this many looks that agree. */
const AGREE = 3;
const AGREE_S = 0.0005;
/** And that are further off than this, s: where the device stamps its output, and where its clock is read in blocks. What is less is crept
 * after, so that from beep to beep nothing is off by a millisecond. */
const LOST_S = { stamped: 0.004, read: 0.02 };

/** Which second of its clock a device lets be heard now, s: as it stamps its output, else by the latency that it reports. */
function heard(context: AudioContext): { s: number; by: keyof typeof LOST_S } {
  const stamp = context.getOutputTimestamp?.();
  const since = stamp?.performanceTime ? (performance.now() - stamp.performanceTime) / 1000 : NaN;
  if (since >= 0 && since < STAMP_OLD_S) return { s: stamp!.contextTime! + since, by: "stamped" };
  return { s: context.currentTime - (context.outputLatency || 0), by: "read" };
}
export const heardNow = (context: AudioContext) => heard(context).s;

const middle = (all: number[]) => [...all].sort((a, b) => a - b)[all.length >> 1]!;

export class AudioTie {
  /** The second of the audio clock at which the run's clock stood at 0. */
  zero = 0;
  private seen: number[] = [];
  private isFirm = false;

  /** `elapsedMs`: the run's clock now; `rate`: how fast it passes. */
  constructor(
    private readonly elapsedMs: () => number,
    private readonly rate: number,
  ) {}

  private zeroBy = (heard_s: number) => heard_s - this.elapsedMs() / 1000 / this.rate;

  /** Begins anew. `firm`: it creeps from now on, and where nobody looks it stays. */
  tie(context: AudioContext, firm = false) {
    this.zero = this.zeroBy(heardNow(context));
    [this.seen, this.isFirm] = [[this.zero], firm];
  }

  /** Looks once more: the middle of the last looks counts. It moves freely until something was handed over, then it creeps. True where the
   * audio clock has lost time: what was handed over is late by that. */
  look(context: AudioContext): boolean {
    const { s, by } = heard(context);
    this.seen = [...this.seen, this.zeroBy(s)].slice(-LOOKS);
    const last = this.seen.slice(-AGREE);
    const agree = last.length === AGREE && Math.max(...last) - Math.min(...last) < AGREE_S;
    if (this.isFirm && agree && Math.abs(middle(last) - this.zero) > LOST_S[by]) {
      [this.zero, this.seen] = [middle(last), last];
      return true;
    }
    const off = middle(this.seen) - this.zero;
    this.zero += this.isFirm ? Math.max(-CREEP_S, Math.min(CREEP_S, off)) : off;
    return false;
  }

  /** Something was handed over: from now on it creeps. */
  firm() {
    this.isFirm = true;
  }

  /** By how much the audio clock is behind the run's now, s. */
  behind = (context: AudioContext) => this.zero - this.zeroBy(heardNow(context));
}
