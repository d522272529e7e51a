/** The clock of a run, milliseconds since 1970: it starts when the run was set up, and in a rehearsal it passes faster. `real`: true time. */
export function runClock({ created_at, clock_rate }: { created_at: string; clock_rate: number }, real: number): number {
  const zero = Date.parse(created_at);
  return zero + (real - zero) * clock_rate;
}

/**
 * True time, as the server has it.
 *
 * Between two looks at the system clock the monotonic clock runs, so that a correction of the system clock never makes
 * the seconds jump; after sleep, when the monotonic clock may have stood still, the system clock counts again.
 */
export class TrueClock {
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
    if (roundTrip > this.bestRoundTrip) return;
    this.bestRoundTrip = roundTrip;
    const middle = this.base + ((sent + received) / 2 - this.mono);
    this.offset = Date.parse(serverNow) - middle;
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
  }
}
