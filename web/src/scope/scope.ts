/** The scope as the address holds it; framework-free, so that it can be reasoned about alone. */
import type { operations } from "../api/schema";

export const LISTS = [
  "grade",
  "school",
  "section",
  "teacher",
  "program",
  "field",
  "group",
  "student",
  "between",
] as const;
export type ListKey = (typeof LISTS)[number];
export const BY = ["school", "grade", "section", "teacher", "language", "program", "group"] as const;
/** One of BY, or a field of the roster as `field:name`. */
export type By = string;

/** Whether a word of an address is a breakdown. */
export function isBy(word: string): boolean {
  return word.startsWith("field:") || (BY as readonly string[]).includes(word);
}

/** The fields as the server declares them, once; how they break down is a matter of each step. */
type Asked = operations["live_lines_api_scope_rail_get"]["parameters"]["query"];
type Fields = Required<Omit<Asked, "by" | "by2" | "group" | "group_on" | "strand" | "language" | "quick">>;

export interface Scope extends Fields {
  strand: string | null;
  language: string | null;
  /** Keys of groups, as text like every other list of the address. */
  group: string[];
  /** The groups' members of that day; null: of today. */
  group_on: string | null;
}

type Plain = Omit<Scope, "assessment" | "subject" | "strand" | "from_window" | "to_window">;

/** What stands where nothing was chosen; it is not written into the address. */
const FIRST: Plain = {
  follow: "students",
  matched: true,
  cuts: "season",
  against: "norms",
  roster: "then",
  all_but: false,
  language: null,
  group_on: null,
  between: [],
  grade: [],
  school: [],
  section: [],
  teacher: [],
  program: [],
  field: [],
  group: [],
  student: [],
};

function oneOf<T extends string>(value: string | null, known: readonly T[], first: T): T {
  return known.find((one) => one === value) ?? first;
}

/** The scope of an address, or null where the address names no measure or windows. */
export function readScope(query: URLSearchParams): Scope | null {
  const need = ["assessment", "subject", "from_window", "to_window"] as const;
  if (need.some((name) => !query.get(name))) return null;
  const lists = Object.fromEntries(LISTS.map((name) => [name, query.getAll(name)])) as Record<
    ListKey,
    string[]
  >;
  return {
    assessment: query.get("assessment") ?? "",
    subject: query.get("subject") ?? "",
    strand: query.get("strand"),
    from_window: query.get("from_window") ?? "",
    to_window: query.get("to_window") ?? "",
    follow: oneOf(query.get("follow"), ["students", "grade"], "students"),
    matched: query.get("matched") !== "false",
    cuts: oneOf(query.get("cuts"), ["season", "year-end"], "season"),
    against: oneOf(query.get("against"), ["norms", "local", "district"], "norms"),
    roster: oneOf(query.get("roster"), ["then", "today"], "then"),
    all_but: query.get("all_but") === "true",
    language: query.get("language"),
    group_on: query.get("group_on"),
    ...lists,
  };
}

/** The address of a scope; what stands at its first choice is left out. */
export function writeScope(scope: Scope): URLSearchParams {
  const query = new URLSearchParams({
    assessment: scope.assessment,
    subject: scope.subject,
    from_window: scope.from_window,
    to_window: scope.to_window,
  });
  if (scope.strand) query.set("strand", scope.strand);
  for (const name of ["follow", "matched", "cuts", "against", "roster", "all_but"] as const)
    if (scope[name] !== FIRST[name]) query.set(name, String(scope[name]));
  if (scope.language) query.set("language", scope.language);
  if (scope.group_on && scope.group.length) query.set("group_on", scope.group_on);
  for (const name of LISTS) for (const value of scope[name]) query.append(name, value);
  return query;
}

/** Choices of a step that hold for any students: they stay in the address when the scope changes. */
const STAYING = ["by", "by2", "withhold"];

/** An address with another scope. */
export function withScope(now: URLSearchParams, scope: Scope): URLSearchParams {
  const query = writeScope(scope);
  for (const name of STAYING) {
    const value = now.get(name);
    if (value !== null) query.set(name, value);
  }
  return query;
}

/** The scope as the server's query takes it. */
export function asked(scope: Scope) {
  const { language, strand, group, group_on, ...rest } = scope;
  return {
    ...rest,
    group: group.map(Number),
    ...(language ? { language } : {}),
    ...(strand ? { strand } : {}),
    ...(group_on && group.length ? { group_on } : {}),
  };
}

/** The same measure and windows for everyone in reach, matched, season cuts, against norms. */
export function firstChoice(scope: Scope): Scope {
  return { ...scope, ...FIRST, strand: null };
}

/** All windows of a scope in order; one alone stands once. */
export function windowsOf(scope: Scope): string[] {
  if (scope.from_window === scope.to_window) return [scope.to_window];
  return [scope.from_window, ...scope.between, scope.to_window];
}

/** Whether a window is given as days of one's own. */
export function isOwn(window: string): boolean {
  return window.includes("..");
}

/** A text by which windows sort in time. */
export function windowOrder(window: string): string {
  if (isOwn(window)) {
    const [first = "", last = ""] = window.split("..");
    const middle = new Date((Date.parse(first) + Date.parse(last)) / 2);
    const month = middle.getUTCMonth() + 1;
    const season = month >= 8 && month <= 11 ? 0 : month === 12 || month <= 2 ? 1 : 2;
    const year = month >= 8 ? middle.getUTCFullYear() : middle.getUTCFullYear() - 1;
    return `${year} ${season} ${first}`;
  }
  const [year = "", season = ""] = window.split(" ");
  return `${year.slice(0, 4)} ${["fall", "winter", "spring"].indexOf(season)} `;
}

/** Windows as a scope takes them: any number in any order. */
export function withWindows(windows: string[]): Pick<Scope, "from_window" | "to_window" | "between"> {
  const sorted = [...new Set(windows)].sort((a, b) => windowOrder(a).localeCompare(windowOrder(b)));
  const last = sorted.at(-1) ?? "";
  return { from_window: sorted[0] ?? last, to_window: last, between: sorted.slice(1, -1) };
}

/** A measure as the choices tell of it. */
interface MeasureSeen {
  assessment: string;
  subject: string;
  windows: string[];
}

/** The scope's part for another measure: its windows stay where it has results in the later one, else its own latest. */
export function forMeasure(scope: Scope, measure: MeasureSeen): Partial<Scope> {
  const { assessment, subject, windows } = measure;
  const plain = { assessment, subject, strand: null };
  const known = (window: string) => isOwn(window) || windows.includes(window);
  if (!windows.length || (known(scope.to_window) && known(scope.from_window))) return plain;
  const [latest = scope.to_window, before = latest] = windows;
  return { ...plain, ...withWindows([before, latest]) };
}
