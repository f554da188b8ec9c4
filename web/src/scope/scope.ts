/** The scope as the address holds it; framework-free, so that it can be reasoned about alone. */

export const LISTS = ["grade", "school", "section", "teacher", "program", "group", "student"] as const;
export type ListKey = (typeof LISTS)[number];
export const BY = ["school", "grade", "section", "teacher", "language", "program"] as const;
export type By = (typeof BY)[number];

export interface Scope {
  assessment: string;
  subject: string;
  from_window: string;
  to_window: string;
  matched: boolean;
  cuts: "season" | "year-end";
  language: string | null;
  grade: string[];
  school: string[];
  section: string[];
  teacher: string[];
  program: string[];
  group: string[];
  student: string[];
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
    from_window: query.get("from_window") ?? "",
    to_window: query.get("to_window") ?? "",
    matched: query.get("matched") !== "false",
    cuts: query.get("cuts") === "year-end" ? "year-end" : "season",
    language: query.get("language"),
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
  if (!scope.matched) query.set("matched", "false");
  if (scope.cuts !== "season") query.set("cuts", scope.cuts);
  if (scope.language) query.set("language", scope.language);
  for (const name of LISTS) for (const value of scope[name]) query.append(name, value);
  return query;
}

/** The scope as the server's query takes it. */
export function asked(scope: Scope) {
  const { language, group, ...rest } = scope;
  return { ...rest, group: group.map(Number), ...(language ? { language } : {}) };
}

/** The same measure and windows for everyone in reach, matched, season cuts. */
export function firstChoice(scope: Scope): Scope {
  return {
    ...scope,
    matched: true,
    cuts: "season",
    language: null,
    grade: [],
    school: [],
    section: [],
    teacher: [],
    program: [],
    group: [],
    student: [],
  };
}
