/** A run worked out on this screen: what the server has stored of it, and how it was set up. */
import type { RunEvent, RunLog, RunView } from "@/api/types";
import type { Core, Outcome, Refusal, SetUpHere } from "./core";

/** What the browser's core does for a run. */
export type Folds = Pick<Core, "begin" | "setUp" | "view" | "check" | "outcomes" | "beeps">;
/** A run as it is kept on this screen; `here`: it was set up here, and the server does not know how yet. */
export type KeptLog = RunLog & { here?: SetUpHere };

export class Folding {
  private events = new Map<string, RunEvent>();

  private constructor(
    private readonly core: Folds,
    /** How the run was set up, what there was before it, and the day it is. */
    private readonly begun: Omit<KeptLog, "events">,
  ) {}

  /** Nothing where the core cannot read how the run was set up: an older file than the server. */
  static of(core: Folds, log: KeptLog): Folding | null {
    if (log.here ? core.setUp(log.here) !== true : !core.begin(log.facts, log.earlier)) return null;
    const { events, ...begun } = log;
    const folding = new Folding(core, begun);
    folding.take(events);
    return folding;
  }

  /** What the server has stored. */
  get log(): KeptLog {
    return { ...this.begun, events: [...this.events.values()] };
  }

  /** Takes up events that the server has stored. */
  take(events: RunEvent[]) {
    for (const event of events) this.events.set(event.id, event);
  }

  /** Whether every event that this view is made of is here. */
  isUpTo(said: RunView): boolean {
    return this.events.size >= said.revision - (said.closed ? 1 : 0);
  }

  /** The run with what the server does not know yet; as the server said it where that is all, or where something is missing here. */
  view(said: RunView, own: RunEvent[], now: number): RunView {
    if (said.closed || !this.isUpTo(said) || own.every((e) => this.events.has(e.id))) return said;
    return this.core.view(this.with(own), now) ?? said;
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
