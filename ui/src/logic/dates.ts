/** Days as people say them. */
const long = new Intl.DateTimeFormat("en-GB", { weekday: "short", day: "numeric", month: "long" });
const withYear = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long", year: "numeric" });
const short = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", year: "numeric" });

const at = (day: string) => new Date(`${day.slice(0, 10)}T12:00:00`);

/** `Thu 3 December`. */
export const dayName = (day: string) => long.format(at(day));
/** `3 December 2026`. */
export const dayYear = (day: string) => withYear.format(at(day));
/** `3 Dec 2026`. */
export const dayShort = (day: string) => short.format(at(day));
/** `3 Dec ’26`. */
export const dayBrief = (day: string) => dayShort(day).replace(/ 20(\d\d)$/, " ’$1");
/** `5:12.3`, of a clock that is stopped by hand. */
export const inTenths = (ms: number) => `${minutes(ms)}.${Math.floor(Math.max(0, ms) / 100) % 10}`;

/** `9:05`. */
export const minutes = (ms: number) => {
  const seconds = Math.max(0, Math.floor(ms / 1000));
  return `${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, "0")}`;
};

/** A moment's day on this device: 2026-11-30. */
export const isoDay = (date: Date) => new Intl.DateTimeFormat("sv-SE").format(date);
