/** Words such as "4 saltgrass multilingual" read as a choice of students, across every kind of choice there is. */
import type { Schemas } from "../api/client";
import { scope as words } from "../words/around/scope";
import type { ListKey, Scope } from "./scope";

/** One thing that words can mean: a school, a grade, a class ... */
export interface Match {
  key: ListKey;
  value: string;
  label: string;
}

const KINDS: [ListKey, string][] = [
  ["grade", "grade"],
  ["school", "school"],
  ["program", "program"],
  ["section", "class"],
  ["teacher", "teacher"],
  ["group", "group"],
  ["field", "field"],
];
/** Words that only say which kind of thing comes next. */
const SILENT = new Set([
  "grade",
  "class",
  "school",
  "teacher",
  "group",
  "program",
  "at",
  "in",
  "and",
  "of",
  "the",
]);

function allMatches(choices: Schemas["ScopeChoices"]): Match[] {
  const plain = (key: "grade" | "school" | "section" | "teacher" | "program", title = "") =>
    choices[key].map((value) => ({ key, value, label: `${title}${value}` }));
  return [
    ...plain("grade", "grade "),
    ...plain("school"),
    ...plain("program"),
    ...plain("section", "class "),
    ...plain("teacher"),
    ...choices.group.map((one) => ({
      key: "group" as const,
      value: String(one.id),
      label: words.group(one.name),
    })),
    ...choices.fields.flatMap((field) =>
      field.values.map((value) => ({
        key: "field" as const,
        value: `${field.name}: ${value}`,
        label: `${field.name} ${value}`,
      })),
    ),
  ];
}

/** How well a word fits a choice: 3 the whole of it, 2 the beginning of a word in it, 1 a part, 0 not at all. */
function fit(word: string, match: Match): number {
  const text = match.label.toLowerCase();
  const own = match.value.toLowerCase();
  if (own === word) return 3;
  // A bare number is a grade, or the class that begins with it; never a part of another word.
  const starts = text.split(/[\s:,()-]+/).some((part) => part.startsWith(word));
  if (/^\d+$/.test(word)) return match.key === "section" && own.split(" ")[0] === word ? 2 : 0;
  return starts ? 2 : word.length > 2 && text.includes(word) ? 1 : 0;
}

/** What some words can mean: all of them together, if each means something, and each thing one of them can mean. */
export function findWho(text: string, choices: Schemas["ScopeChoices"]) {
  const words = text
    .toLowerCase()
    .split(/\s+/)
    .filter((word) => word && !SILENT.has(word));
  const known = allMatches(choices);
  const order = (match: Match) => KINDS.findIndex(([key]) => key === match.key);
  const fits = words.map((word) =>
    known
      .map((match) => ({ match, fit: fit(word, match) }))
      .filter((one) => one.fit > 0)
      .sort((a, b) => b.fit - a.fit || order(a.match) - order(b.match)),
  );
  const together = fits.every((found) => found.length > 0)
    ? [...new Set(fits.map((found) => found[0]?.match))].filter((match) => match !== undefined)
    : [];
  const each = [...new Set(fits.flatMap((found) => found.map((one) => one.match)))].slice(0, 12);
  return { together, each };
}

/** A scope's choice with some things added to it. */
export function withMatches(scope: Scope, matches: Match[]): Partial<Scope> {
  const part: Partial<Record<ListKey, string[]>> = {};
  for (const { key, value } of matches) part[key] = [...new Set([...(part[key] ?? scope[key]), value])];
  return part;
}
