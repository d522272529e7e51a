import type { RunView, StopReason } from "@/api/types";

/** Why a test is stopped early, as its key says it. */
export const REASONS: [StopReason, string][] = [
  ["symptoms", "Pain or symptoms"],
  ["volitional", "Client asked"],
  ["fatigue", "Fatigue"],
  ["lost_cadence", "Lost the beat"],
  ["heart_rate_ceiling", "Heart rate at its ceiling"],
  ["equipment", "Equipment"],
  ["assessor", "My call"],
];

/** Those that can be in a test: where no beat sounds, nobody loses it. */
export const reasonsIn = ({ timeline }: Pick<RunView["state"], "timeline">) =>
  REASONS.filter(([key]) => key !== "lost_cadence" || timeline.beat);
