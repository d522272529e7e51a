import type { StopReason } from "@/api/types";

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
