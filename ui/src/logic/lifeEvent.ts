/** What happened along the way, where nobody put it into words. */
export const lifeEventWords = {
  illness: "illness",
  injury: "injury",
  break: "break",
  new_job: "new job",
  holiday: "holiday",
  other: "note",
} as const;
