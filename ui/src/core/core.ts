/**
 * The core as a browser has it: the same code that folds a run on the server. Questions and answers are JSON in linear memory; the other
 * side is `crates/browser`.
 */
import type { Battery, BeepCourse, Beside, RunEvent, RunForm, RunView, VisitEvent } from "@/api/types";
import address from "./core.wasm?url";

/** Why an event cannot be stored, in the words of the server. */
export interface Refusal {
  code: string;
  field?: string | null;
  message: string;
}

/** What somebody's run came to, in words. */
export interface Outcome {
  slot: number;
  name: string;
  /** The result in a sentence; nothing where there is none. */
  headline: string | null;
  /** Against the last time that was done alike, a sentence a measure. */
  changes: string[];
}

/** What the file hands out. */
interface Exports {
  memory: WebAssembly.Memory;
  take_room: (length: number) => number;
  ask: (at: number, length: number) => number;
  free_answer: (at: number) => void;
}

/** A run that is set up on this screen: from what was prepared, how, and when. */
export interface SetUpHere {
  prepared: unknown;
  form: RunForm;
  at: number;
}

/** Where a visit stands. */
export interface VisitStands {
  state: {
    places: { stand: "to_come" | "running" | "done" | "skipped"; run: string | null; result: string | null; reason: string | null }[];
    order: number[];
    closed: boolean;
  };
  next: number | null;
}

type Question =
  | { set_up: { prepared: unknown; id: string; people: string[]; typed: unknown; at: string } }
  | "beeps"
  | { visit: { tests: (string | null)[]; free: boolean; events: VisitEvent[]; shut: number[] } }
  | { begin: { facts: unknown; earlier: unknown } }
  | { outcomes: { events: RunEvent[]; on: string } }
  | { beside: { events: RunEvent[]; slot: number } }
  | { view: { events: RunEvent[]; now: string } }
  | { check: { events: RunEvent[]; event: RunEvent; now: string } };
type Answer =
  | "begun"
  | "accepted"
  | { beeps: BeepCourse | null }
  | { visit: VisitStands }
  | { view: RunView }
  | { beside: Beside | null }
  | { outcomes: Outcome[] }
  | { refused: Refusal }
  | { failed: string };

let loading: Promise<Core | null> | undefined;

/** The core, loaded once; nothing in a browser that has no WebAssembly. */
export const loadCore = (): Promise<Core | null> =>
  (loading ??= (async () => {
    const { module } = await WebAssembly.instantiateStreaming(fetch(address));
    return new Core(module);
  })().catch((error: unknown) => {
    console.warn("The core could not be loaded: decisions come from the server.", error);
    loading = undefined;
    return null;
  }));

export class Core {
  private readonly write = new TextEncoder();
  private readonly read = new TextDecoder();

  private core: Exports;
  /** How the run on this screen was begun, for a new core. */
  private begun: Question | null = null;

  constructor(private readonly module: WebAssembly.Module) {
    this.core = this.fresh();
  }

  private fresh = () => new WebAssembly.Instance(this.module).exports as unknown as Exports;

  /** Takes up how a run was set up and what there was before it; says whether it could be read. */
  begin(facts: unknown, earlier: unknown): boolean {
    return this.beginBy({ begin: { facts, earlier } }) === "begun";
  }

  private beginBy(question: Question): Answer | null {
    this.begun = null;
    const answer = this.ask(question);
    if (answer === "begun") this.begun = question;
    return answer;
  }

  /** Sets a run up from what was prepared and takes it up; or why it cannot be. `at`: when, milliseconds since 1970. */
  setUp({ prepared, form, at }: SetUpHere): true | Refusal {
    const { id, people } = form;
    const answer = this.beginBy({ set_up: { prepared, id, people, typed: form, at: new Date(at).toISOString() } });
    if (answer === "begun") return true;
    if (answer && typeof answer === "object" && "refused" in answer) return answer.refused;
    return { code: "not_prepared", message: "This test could not be set up on this device. Try again when there is a network." };
  }

  /** Where a visit stands after these events. `shut`: places that something else has to open first. */
  visit({ tests, window_min }: Battery, events: VisitEvent[], shut: number[]): VisitStands | null {
    const answer = this.ask({ visit: { tests: tests.map((t) => t.either ?? null), free: window_min != null, events, shut } });
    return answer && typeof answer === "object" && "visit" in answer ? answer.visit : null;
  }

  /** What each performer's run came to, once it is over. `on`: today. */
  outcomes(events: RunEvent[], on: string): Outcome[] {
    const answer = this.ask({ outcomes: { events, on } });
    return answer && typeof answer === "object" && "outcomes" in answer ? answer.outcomes : [];
  }

  /** The schedule of the run to beeps that was begun. */
  beeps(): BeepCourse | null {
    const answer = this.ask("beeps");
    return answer && typeof answer === "object" && "beeps" in answer ? answer.beeps : null;
  }

  /** The run after these events; nothing where it cannot be told. */
  view(events: RunEvent[], now: number): RunView | null {
    const answer = this.ask({ view: { events, now: new Date(now).toISOString() } });
    return answer && typeof answer === "object" && "view" in answer ? answer.view : null;
  }

  /** Where the one stands whom a partner's phone counts for; nothing where it cannot be told. */
  beside(events: RunEvent[], slot: number): Beside | null {
    const answer = this.ask({ beside: { events, slot } });
    return answer && typeof answer === "object" && "beside" in answer ? answer.beside : null;
  }

  /** What speaks against an event after these. `now`: the run's clock. */
  check(events: RunEvent[], event: RunEvent, now: number): Refusal | null {
    const answer = this.ask({ check: { events, event, now: new Date(now).toISOString() } });
    return answer && typeof answer === "object" && "refused" in answer ? answer.refused : null;
  }

  /** The answer; nothing where there is none: a question of another shape ends the core that was asked, and a new one takes its place. */
  private ask(question: Question): Answer | null {
    try {
      return this.answer(question);
    } catch (error) {
      console.warn("The core could not answer: this decision comes from the server.", error);
      this.core = this.fresh();
      if (this.begun) this.answer(this.begun);
      return null;
    }
  }

  private answer(question: Question): Answer {
    const said = this.write.encode(JSON.stringify(question));
    const room = this.core.take_room(said.length);
    new Uint8Array(this.core.memory.buffer).set(said, room);
    const at = this.core.ask(room, said.length);
    const length = new DataView(this.core.memory.buffer).getUint32(at, true);
    const answer = JSON.parse(this.read.decode(new Uint8Array(this.core.memory.buffer, at + 4, length))) as Answer;
    this.core.free_answer(at);
    if (typeof answer === "object" && "failed" in answer) console.warn("The core could not answer:", answer.failed);
    return answer;
  }
}
