/** Names of events that nobody put into words. */
export const lifeEventWords = {
  illness: "illness",
  injury: "injury",
  break: "break",
  new_job: "new job",
  holiday: "holiday",
  other: "note",
} as const;
