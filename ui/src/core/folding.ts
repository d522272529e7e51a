/** A run worked out on this screen: what the server has stored of it, and how it was set up. */
import type { RunEvent, RunLog, RunView } from "@/api/types";
import type { Core, Outcome, Refusal, SetUpHere } from "./core";

/** What the browser's core does for a run. */
export type Folds = Pick<Core, "begin" | "setUp" | "view" | "beside" | "check" | "outcomes" | "beeps">;
/** A run as it is kept on this screen; `here`: it was set up here, and the server does not know how yet. */
export type KeptLog = RunLog & { here?: SetUpHere };

export class Folding {
  private events = new Map<string, RunEvent>();
  /** What a partner's phone is not told of. */
  private readonly hidden = new Set<string>();

  private constructor(
    private readonly core: Folds,
    /** How the run was set up, what there was before it, and the day it is. */
    private readonly begun: Omit<KeptLog, "events" | "hidden">,
  ) {}

  /** Nothing where the core cannot read how the run was set up: an older file than the server. */
  static of(core: Folds, log: KeptLog): Folding | null {
    if (log.here ? core.setUp(log.here) !== true : !core.begin(log.facts, log.earlier)) return null;
    const { events, hidden, ...begun } = log;
    const folding = new Folding(core, begun);
    folding.take(events, hidden);
    return folding;
  }

  /** What the server has stored. */
  get log(): KeptLog {
    return { ...this.begun, events: [...this.events.values()], ...(this.hidden.size && { hidden: [...this.hidden] }) };
  }

  /** Takes up events that the server has stored, and which others there are. */
  take(events: RunEvent[], hidden: string[] = []) {
    for (const event of events) this.events.set(event.id, event);
    for (const id of hidden) this.hidden.add(id);
  }

  /** Whether every event that this view is made of is here. */
  isUpTo(said: RunView): boolean {
    return this.events.size + this.hidden.size >= said.revision - (said.closed ? 1 : 0);
  }

  /** The run with what the server does not know yet; as the server said it where that is all, or where something is missing here. */
  view(said: RunView, own: RunEvent[], now: number): RunView {
    if (!this.adds(said, own)) return said;
    return this.core.view(this.with(own), now) ?? said;
  }

  /** The same on a partner's phone: where the one stands whom it counts for. The rest, and every decision, is the server's. */
  beside(said: RunView, own: RunEvent[]): RunView {
    const slot = own.find((e) => e.slot != null)?.slot;
    const found = slot != null && this.adds(said, own) ? this.core.beside(this.with(own), slot) : null;
    if (!found) return said;
    const is = (p: RunView["performers"][number]) => p.slot === slot;
    const was = said.performers.find(is)?.reading;
    const decided = was?.bpm != null && was.bpm === found.reading?.bpm;
    const performers = said.performers.map((p) => (is(p) ? { ...p, reading: found.reading, decision: decided ? p.decision : null } : p));
    return { ...said, performers, beside: found };
  }

  /** Whether this screen did something that the server has not said yet, and can tell what it leads to. */
  private adds(said: RunView, own: RunEvent[]): boolean {
    return !said.closed && this.isUpTo(said) && own.some((e) => !this.events.has(e.id));
  }

  /** What the run came to with all that is known here. */
  outcomes(own: RunEvent[]): Outcome[] {
    return this.core.outcomes(this.with(own), this.begun.today);
  }

  /** When each of its beeps sounds. */
  beeps() {
    return this.core.beeps();
  }

  /** What speaks against one more event, as far as this screen can tell. */
  check(said: RunView, own: RunEvent[], event: RunEvent, now: number): Refusal | null {
    if (said.closed || !this.isUpTo(said)) return null;
    return this.core.check(this.with(own), event, now);
  }

  /** What the server has stored, then what it does not know yet; each event once. */
  private with(own: RunEvent[]): RunEvent[] {
    return [...this.events.values(), ...own.filter((e) => !this.events.has(e.id))];
  }
}
