/**
 * What happened on this screen, on its way to the server: kept first, then sent in the sequence of its screen. What the server refuses
 * and never can take is taken out, and what comes behind it goes on; what may pass waits and is sent again.
 */
import { v7 as uuid } from "uuid";
import { asFailure, type Failure } from "@/api/client";
import type { Kind, RunEvent } from "@/api/types";
import type * as Queue from "./queue";

/** Events that depend on nothing before them: they go many at a time, and nothing speaks against them. */
export const ALONE: ReadonlySet<Kind["kind"]> = new Set<Kind["kind"]>(["tap", "strap_heard"]);
/** What may be refused and still goes many at a time: the end of forty runners. Where one of a batch is refused, they go one by one. */
const TOGETHER: ReadonlySet<Kind["kind"]> = new Set<Kind["kind"]>([...ALONE, "line_missed", "left_run"]);
/** Another number is wanted, and the answer says which. */
const SEQUENCE: ReadonlySet<string> = new Set(["sequence_gap", "sequence_taken"]);
/** The most events of one batch. */
const BATCH = 100;

/** What became of an event. */
export type Fate = "kept" | "refused";

/** Where events are handed over, and who is told what became of them. `Answer`: what the server says of a batch. */
export interface Way<Answer> {
  /** Hands a batch over, or throws a {@link Failure}. */
  post: (run: string, events: RunEvent[]) => Promise<Answer>;
  /** The server has these. `sentAt`: when they were sent, by the monotonic clock. */
  kept: (events: RunEvent[], answer: Answer, sentAt: number) => void;
  /** The server never takes this one. */
  refused: (event: RunEvent, failure: Failure) => void;
  /** How many wait. */
  waiting: (count: number) => void;
  /** Nothing answers, or not now. */
  held: (failure: Failure) => void;
  /** An event has another key from now on: its own was taken. */
  renamed?: (id: string, to: string) => void;
}

export class Outbox<Answer> {
  /** The name this screen writes with, and its own sequence. */
  device = uuid();
  private seq = 0;
  /** This page, and how much was done on it. */
  private readonly page = this.device;
  private nth = 0;
  private sending: Promise<void> | null = null;
  private again = false;
  /** Events on their way into the queue. */
  private keeping = 0;
  /** A gap that is being closed: no number is given out until it is. */
  private closing: Promise<unknown> | null = null;
  /** Set once a batch was refused: its events go one by one, so that only the one that is wrong is taken out. */
  private oneByOne = 0;
  private fates = new Map<string, { fate: Promise<Fate>; settle: (fate: Fate) => void }>();

  constructor(
    private readonly run: string,
    private readonly queue: typeof Queue,
    private readonly way: Way<Answer>,
  ) {}

  /** Keeps an event on this screen, then sends it. Done once it is kept. */
  async add(entry: Kind & Pick<RunEvent, "id" | "mono_ms" | "wall" | "slot">): Promise<void> {
    let settle: (fate: Fate) => void = () => {};
    this.fates.set(entry.id, { fate: new Promise((done) => (settle = done)), settle });
    this.keeping++;
    while (this.closing) await this.closing;
    const event = { ...entry, device: this.device, seq: ++this.seq } as RunEvent;
    await this.queue.keep(this.run, event, { page: this.page, nth: ++this.nth });
    if (event.device === this.device) this.seq = Math.max(this.seq, event.seq);
    this.keeping--;
    void this.send();
  }

  /** What became of an event of this screen, once the server has answered for it. */
  settled(id: string): Promise<Fate> {
    return this.fates.get(id)?.fate ?? Promise.resolve("kept");
  }

  /** An event that this screen refuses itself: it is never sent. */
  refuse(id: string) {
    this.fates.set(id, { fate: Promise.resolve("refused"), settle: () => {} });
  }

  /** Takes in what an earlier page of this screen had not sent; gives all that waits. */
  async recover(): Promise<RunEvent[]> {
    await this.queue.recover(this.run).catch(() => undefined);
    return (await this.queue.waiting(this.run).catch(() => [])).flat();
  }

  /** Sends what waits; asked twice, once more behind what is under way. */
  send(): Promise<void> {
    this.again = true;
    this.sending ??= this.drain().finally(() => (this.sending = null));
    return this.sending;
  }

  private async drain() {
    while (this.again) {
      this.again = false;
      const stuck = new Set<string>();
      for (;;) {
        const next = (await this.queue.waiting(this.run)).find((events) => !events.some((e) => stuck.has(e.id)));
        if (!next) break;
        // Pages do not wait for each other.
        if (!(await this.hand(this.batch(next)))) next.forEach((e) => stuck.add(e.id));
      }
      // What is on its way into the queue waits too; counted twice for a moment rather than not at all.
      const then = this.keeping;
      const inside = (await this.queue.waiting(this.run)).reduce((n, events) => n + events.length, 0);
      this.way.waiting(inside + Math.max(then, this.keeping));
    }
  }

  /** One screen's events: what goes together, and anything else alone. */
  private batch(waiting: RunEvent[]): RunEvent[] {
    const first = waiting[0]!;
    if (!TOGETHER.has(first.kind) || this.oneByOne > 0) return [first];
    const end = waiting.findIndex((e) => !TOGETHER.has(e.kind) || e.device !== first.device);
    return waiting.slice(0, end === -1 ? undefined : end).slice(0, BATCH);
  }

  /** Hands events of one screen over; says whether to go on with it. */
  private async hand(events: RunEvent[]): Promise<boolean> {
    const sent = performance.now();
    try {
      const answer = await this.way.post(this.run, events);
      await this.queue.done(this.run, events);
      this.oneByOne = Math.max(0, this.oneByOne - 1);
      this.way.kept(events, answer, sent);
      for (const event of events) this.settle(event, "kept");
      return true;
    } catch (error) {
      return this.failed(events, asFailure(error));
    }
  }

  private async failed(events: RunEvent[], failure: Failure): Promise<boolean> {
    if (failure.mayPass) {
      this.way.held(failure);
      return false;
    }
    const event = events[0]!;
    const expected = (failure.detail as { expected?: number } | undefined)?.expected;
    if (SEQUENCE.has(failure.code) && expected !== undefined && expected !== event.seq) {
      await this.closeGap(async () => {
        const last = await this.queue.renumber(this.run, event.device, expected);
        if (event.device === this.device) this.seq = last;
      });
      return true;
    }
    if (failure.code === "screen_elsewhere") {
      await this.closeGap(() => this.moveTo(event.device, uuid()));
      return true;
    }
    if (events.length > 1) {
      this.oneByOne = events.length;
      return true;
    }
    if (failure.code === "event_elsewhere") {
      await this.closeGap(() => this.rename(event.id, uuid()));
      return true;
    }
    this.way.refused(event, failure);
    await this.closeGap(async () => {
      await this.queue.withdraw(this.run, event);
      if (event.device === this.device) this.seq--;
    });
    this.settle(event, "refused");
    return true;
  }

  /** Somebody else writes with this name: what waits goes on under a new one. */
  private async moveTo(device: string, to: string) {
    const last = await this.queue.renumber(this.run, device, 1, to);
    if (device === this.device) [this.device, this.seq] = [to, last];
  }

  /** Another entry has this key: sends the event under a new key. */
  private async rename(id: string, to: string) {
    await this.queue.rename(this.run, id, to);
    const fate = this.fates.get(id);
    if (fate) this.fates.set(to, fate);
    this.way.renamed?.(id, to);
  }

  private settle(event: RunEvent, fate: Fate) {
    const settled = this.fates.get(event.id);
    settled?.settle(fate);
    for (const [id, one] of this.fates) if (one === settled) this.fates.delete(id);
  }

  private async closeGap(work: () => Promise<void>) {
    while (this.closing) await this.closing;
    const done = work().finally(() => (this.closing = null));
    this.closing = done.catch(() => undefined);
    return done;
  }
}
