/** Days as they are typed: in the practice's order of day and month, or with the month in words. */
import { dayShort } from "./dates";

const MONTHS = ["january", "february", "march", "april", "may", "june", "july", "august", "september", "october", "november", "december"];

const two = (n: number) => String(n).padStart(2, "0");

/** `2026-12-03`, where there is such a day. */
export function isoDay(year: number, month: number, day: number): string | null {
  const date = new Date(Date.UTC(year, month - 1, day));
  const exists = date.getUTCFullYear() === year && date.getUTCMonth() === month - 1 && date.getUTCDate() === day;
  return exists && year >= 1900 && year <= 2100 ? `${year}-${two(month)}-${two(day)}` : null;
}

/** A year of two digits is the latest one that lies no more than ten years ahead. */
function fullYear(text: string, thisYear: number): number {
  if (text.length > 2) return Number(text);
  const year = Math.floor(thisYear / 100) * 100 + Number(text);
  return year > thisYear + 10 ? year - 100 : year;
}

/** From 1; 0 where the word is no month. Three letters are enough. */
const monthOf = (word: string) => (word.length < 3 ? 0 : MONTHS.findIndex((m) => m.startsWith(word.toLowerCase())) + 1);

/**
 * The day that was typed, as `2026-12-03`; nothing where it is not a date. Without a year it is the day of this year.
 * `today`: as `2026-12-03`.
 */
export function readDay(text: string, monthFirst: boolean, today: string): string | null {
  const typed = text.trim();
  const thisYear = Number(today.slice(0, 4));
  if (/^today$/i.test(typed)) return today;
  const iso = /^(\d{4})-(\d{1,2})-(\d{1,2})$/.exec(typed);
  if (iso) return isoDay(Number(iso[1]), Number(iso[2]), Number(iso[3]));
  // 03122026, without anything between.
  const plain = /^(\d{2})(\d{2})(\d{2}|\d{4})$/.exec(typed);
  if (plain) {
    const [day, month] = monthFirst ? [plain[2]!, plain[1]!] : [plain[1]!, plain[2]!];
    return isoDay(fullYear(plain[3]!, thisYear), Number(month), Number(day));
  }
  const parts = typed.split(/[\s./,-]+/).filter(Boolean);
  const year = parts.length === 3 ? parts[2]! : parts.length === 2 ? String(thisYear) : "";
  if (!/^(\d{2}|\d{4})$/.test(year)) return null;
  const [first, second] = parts as [string, string];
  const number = /^\d{1,2}$/;
  if (number.test(first) && number.test(second)) {
    // With full stops the day comes first wherever it is typed.
    const [day, month] = monthFirst && !typed.includes(".") ? [second, first] : [first, second];
    return isoDay(fullYear(year, thisYear), Number(month), Number(day));
  }
  const [word, day] = number.test(first) ? [second, first] : [first, second];
  const month = /^[a-z]+$/i.test(word) ? monthOf(word) : 0;
  return month && number.test(day) ? isoDay(fullYear(year, thisYear), month, Number(day)) : null;
}

/** Whether this browser's language writes the month first. */
export function isMonthFirst(language?: string): boolean {
  const parts = new Intl.DateTimeFormat(language).formatToParts(new Date(2026, 11, 31)).map((p) => p.type);
  return parts.indexOf("month") < parts.indexOf("day") && parts.indexOf("year") > parts.indexOf("day");
}

/** A day as it stands in its field: `3 Dec 2026`. */
export const writtenDay = (iso: string) => (iso ? dayShort(iso) : "");

/** How a day may be typed, in words. */
export const dayExample = (monthFirst: boolean) => (monthFirst ? "12/31/2026" : "31/12/2026");

/** What is said of a text that is no day. */
export const noDay = (monthFirst: boolean) => `Type a date such as ${dayExample(monthFirst)} or 31 Dec 2026, or pick it.`;

/** The days of a month in weeks from Monday on; what lies outside it is empty. */
export function weeksOf(year: number, month: number): (string | null)[][] {
  const count = new Date(Date.UTC(year, month, 0)).getUTCDate();
  const before = (new Date(Date.UTC(year, month - 1, 1)).getUTCDay() + 6) % 7;
  const days = [...Array<null>(before).fill(null), ...Array.from({ length: count }, (_, k) => isoDay(year, month, k + 1))];
  while (days.length % 7) days.push(null);
  return Array.from({ length: days.length / 7 }, (_, w) => days.slice(w * 7, w * 7 + 7));
}

/** So many days on; `2026-12-03` in and out. */
export function daysOn(iso: string, days: number): string {
  const date = new Date(`${iso}T12:00:00Z`);
  date.setUTCDate(date.getUTCDate() + days);
  return date.toISOString().slice(0, 10);
}
