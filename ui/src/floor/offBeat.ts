import type { RunView } from "@/api/types";
import { minutes } from "@/logic/dates";

/** Whether the client is off the beat now. */
export const isOffBeat = (state: RunView["state"]) => state.off_beat.length > 0 && state.off_beat.at(-1)!.until_ms == null;

/** A spell off the beat in words; `start` is the work's. */
export const offBeat = (o: RunView["state"]["off_beat"][number], start: number) =>
  o.until_ms == null
    ? `off the beat since ${minutes(o.from_ms - start)}`
    : `off the beat from ${minutes(o.from_ms - start)} to ${minutes(o.until_ms - start)}`;
