/** How numbers are written: scores without decimals, distances with sign and one decimal. */

const MINUS = "\u2212";

export function score(value: number | null | undefined): string {
  return value == null ? "–" : String(roundHalfUp(value));
}

/** Halves round up, as every rank and share does. */
export function roundHalfUp(value: number): number {
  return Math.floor(value + 0.5);
}

export function signed(value: number | null | undefined, decimals = 0): string {
  if (value == null) return "–";
  const size = Math.abs(value).toFixed(decimals);
  if (Number(size) === 0) return size;
  return value < 0 ? `${MINUS}${size}` : `+${size}`;
}

export function percent(share: number | null | undefined): string {
  return share == null ? "–" : `${roundHalfUp(share * 100)}\u00a0%`;
}

export function rank(value: number | null | undefined): string {
  return value == null ? "–" : String(roundHalfUp(value));
}

// Made once: a format of its own for each number or day of a table takes longer than the table.
const COUNTS = new Intl.NumberFormat("en");

/** A count: 1,200. */
export function many(n: number | null | undefined): string {
  return n == null ? "–" : COUNTS.format(n);
}

export function students(n: number): string {
  return n === 1 ? "1 student" : `${many(n)} students`;
}

const VERDICTS: Record<string, string> = {
  clearly_above: "clearly above",
  as_expected: "as expected",
  clearly_below: "clearly below",
};

export function verdict(value: string | null | undefined): string {
  return value == null ? "–" : (VERDICTS[value] ?? value);
}

/** "Fall" of "2026-27 fall"; days of one's own as they are. */
export function season(window: string): string {
  const word = /^\d{4}-\d{2} (fall|winter|spring)$/.exec(window)?.[1];
  return word ? word.charAt(0).toUpperCase() + word.slice(1) : window;
}

/** The same inside a sentence. */
export function seasonWord(window: string): string {
  const word = season(window);
  return word === window ? window : word.toLowerCase();
}

const DAYS = new Intl.DateTimeFormat("en", { day: "numeric", month: "short", year: "numeric" });

export function day(value: string | null | undefined): string {
  return value ? DAYS.format(new Date(`${value}T12:00:00`)) : "no date";
}

const MOMENTS = new Intl.DateTimeFormat("en", { dateStyle: "medium", timeStyle: "short" });

/** A moment as the server keeps it (UTC without zone), on this machine's clock: Feb 12, 2027, 8:15 AM. */
export function moment(value: string): string {
  return MOMENTS.format(new Date(`${value}Z`));
}
