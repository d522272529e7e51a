/** The live channel of a run: what other screens do arrives by itself, and the channel says when it has to be looked for instead. */

/** Without a word on it for so long, the run is asked for anew, ms. */
const SILENT_MS = 25_000;

/** What a word on it is about: the run, what was stored before it, and what of that is not told here. */
export type Word = "view" | "events" | "hidden";

/** The part of the browser's event source that is used here. */
export interface Source {
  readyState: number;
  onopen: (() => void) | null;
  addEventListener: (name: Word, heard: (event: { data: string }) => void) => void;
  close: () => void;
}

const OPEN = 1;
const CLOSED = 2;

export class Channel {
  private source: Source | null = null;
  private heardAt = 0;

  /** `heard`: what arrived, as it was written: events, then the view they lead to. `now`: a monotonic clock, ms. */
  constructor(
    private readonly url: string,
    private readonly heard: (data: string, what: Word) => void,
    private readonly make: (url: string) => Source = (at) => new EventSource(at) as unknown as Source,
    private readonly now: () => number = () => performance.now(),
  ) {}

  /** Listens from here on; the browser opens the channel again where it broke. */
  listen() {
    this.close();
    const source = this.make(this.url);
    this.heardAt = this.now();
    for (const what of ["hidden", "events", "view"] as const)
      source.addEventListener(what, (event) => {
        // A word of a channel that was given up says nothing any more.
        if (this.source !== source) return;
        this.heardAt = this.now();
        this.heard(event.data, what);
      });
    source.onopen = () => (this.heardAt = this.now());
    this.source = source;
  }

  /** Whether the run has to be asked for: the channel is not open, or has been silent for long. One that was given up is opened again. */
  mustLook(): boolean {
    const state = this.source?.readyState ?? CLOSED;
    if (state === CLOSED) this.listen();
    if (state !== OPEN) return true;
    if (this.now() - this.heardAt <= SILENT_MS) return false;
    this.heardAt = this.now();
    return true;
  }

  close() {
    this.source?.close();
    this.source = null;
  }
}
