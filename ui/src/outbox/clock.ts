/** The clock of a run, milliseconds since 1970: it starts when the run was set up, and in a rehearsal it passes faster. `real`: true time. */
export function runClock({ created_at, clock_rate }: { created_at: string; clock_rate: number }, real: number): number {
  const zero = Date.parse(created_at);
  return zero + (real - zero) * clock_rate;
}

/** The largest correction of a clock that ran, ms; by a larger step a clock that was wrong is set. */
const STEP_MS = 2000;

/** The moments of one screen's events, which keep their order when its clock is put back a little between two of them. */
export class Moments {
  private last = -Infinity;

  /** The moment of what happens at `now` of a clock that passes at `rate`: never before the one before it. */
  next(now: number, rate = 1): number {
    this.last = this.last - now < STEP_MS * rate ? Math.max(this.last, now) : now;
    return this.last;
  }
}

/** By so much the clocks of two devices part, ms a ms: 3 ms a minute. Common practice for quartz. */
const DRIFT = 5e-5;

/**
 * True time, as the server has it.
 *
 * Between two looks at the system clock the monotonic clock runs, so that a correction of the system clock never makes
 * the seconds jump; after sleep, when the monotonic clock may have stood still, the system clock counts again.
 */
export class TrueClock {
  /** When the offset was learned, monotonic. */
  private learned = 0;
  private isKnown = false;
  private base = Date.now();
  private mono = performance.now();
  private offset = 0;
  private bestRoundTrip = Infinity;

  /** Now, milliseconds since 1970, by the server's clock. */
  now(): number {
    const local = this.base + (performance.now() - this.mono);
    if (Math.abs(local - Date.now()) > 250) this.anchor();
    return this.base + (performance.now() - this.mono) + this.offset;
  }

  /** Learns the offset from an answer: the server's time, and when the question left and the answer came. */
  learn(serverNow: string, sent: number, received: number) {
    const roundTrip = received - sent;
    // The doubt about an offset grows with its age: two clocks drift apart.
    if (roundTrip > this.bestRoundTrip + 2 * DRIFT * (received - this.learned)) return;
    [this.bestRoundTrip, this.learned] = [roundTrip, received];
    const middle = this.base + ((sent + received) / 2 - this.mono);
    const offset = Date.parse(serverNow) - middle;
    // An offset that the new answer allows stays: what sounds by this clock does not jump for nothing.
    if (Math.abs(offset - this.offset) > roundTrip / 2 || !this.isKnown) this.offset = offset;
    this.isKnown = true;
  }

  /** How far the server's clock is from this screen's, ms. */
  get ahead(): number {
    return this.offset;
  }

  /** Goes on with an offset that was learned before, until a better one is there. */
  assume(offset: number) {
    this.offset = offset;
  }

  private anchor() {
    this.base = Date.now();
    this.mono = performance.now();
    this.bestRoundTrip = Infinity;
    this.isKnown = false;
  }
}
