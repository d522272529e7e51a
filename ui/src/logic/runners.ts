/** Finding a runner by what is typed, and whose a runner is. */
interface Named {
  number: number;
  name: string;
}

const plain = (text: string) => text.normalize("NFD").replace(/\p{M}/gu, "").toLowerCase();
/** `Rell` of `Caspian Rell`. */
const parts = (name: string) => plain(name).split(/\s+/);

/** Whom a number or the first letters of a first or last name mean: of a number the one who wears it, of letters all who begin so. */
export function finds<R extends Named>(runners: R[], typed: string): R[] {
  const text = plain(typed.trim());
  if (/^\d+$/.test(text)) return runners.filter((r) => r.number === Number(text));
  return runners.filter((r) => plain(r.name).startsWith(text) || parts(r.name).some((part) => part.startsWith(text)));
}

/** Whether a runner belongs to `1-20` or `A-M` (by the last name); everybody where nothing that can be read is said. */
export function isMine(runner: Named, range: string): boolean {
  const numbers = /^\s*(\d+)\s*[-–]\s*(\d+)\s*$/.exec(range);
  if (numbers) return runner.number >= Number(numbers[1]) && runner.number <= Number(numbers[2]);
  const letters = /^\s*(\p{L})\s*[-–]\s*(\p{L})\s*$/u.exec(range);
  if (!letters) return true;
  const first = parts(runner.name).at(-1)!.charAt(0);
  return first >= plain(letters[1]!) && first <= plain(letters[2]!);
}
