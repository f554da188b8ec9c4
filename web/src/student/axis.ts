/** The time axis of a student's page: days as numbers, zooming, and what every lane says at a day. */
import type { Schemas } from "../api/client";
import { day, score } from "../words/format";
import { student as words } from "../words/steps/student";

export type Page = Schemas["StudentPage"];

export const dayNumber = (on: string) => Math.floor(Date.parse(`${on}T12:00:00Z`) / 86_400_000);
export const dayOf = (number: number) => new Date(number * 86_400_000).toISOString().slice(0, 10);

export interface Span {
  from: number;
  to: number;
}

/** Fewest days that zooming in leaves. */
const FEWEST = 28;

/** The whole axis with a little room at both ends. */
export function wholeSpan(page: Page): Span {
  const [from, to] = [dayNumber(page.first), dayNumber(page.last)];
  const room = Math.max(7, (to - from) * 0.015);
  return { from: from - room, to: to + room };
}

/** Days from which on the ruler shows school years instead of months. */
const YEARS_FROM = 400;

/** The marks of the ruler: school years, or months where one looks closer. */
export function ticksOf(page: Page, span: Span): { on: string; said: string }[] {
  if (span.to - span.from > YEARS_FROM) return page.years.map((on) => ({ on, said: on.slice(0, 4) }));
  const found = [];
  const date = new Date(`${dayOf(Math.ceil(span.from)).slice(0, 7)}-01T12:00:00Z`);
  while (dayNumber(date.toISOString().slice(0, 10)) <= span.to) {
    const on = date.toISOString().slice(0, 10);
    found.push({
      on,
      said: date.toLocaleDateString("en", { month: "short", year: "numeric", timeZone: "UTC" }),
    });
    date.setUTCMonth(date.getUTCMonth() + 1);
  }
  return found;
}

/** A span zoomed about a day, kept within the whole. */
export function zoomed(span: Span, whole: Span, about: number, times: number): Span {
  const size = Math.min(whole.to - whole.from, Math.max(FEWEST, (span.to - span.from) * times));
  const share = (about - span.from) / (span.to - span.from);
  const from = Math.max(whole.from, Math.min(about - share * size, whole.to - size));
  return { from, to: from + size };
}

/** The last place of a line at or before a day, and how many days before it lies. */
function lastBefore<T extends { on: string }>(line: T[], at: number): T | undefined {
  return line.filter((one) => dayNumber(one.on) <= at).at(-1);
}

/** What the lanes say at a day, lane by lane; a lane without anything there is left out. */
export function readAt(page: Page, at: number, hidden: boolean): { lane: string; said: string }[] {
  const found: { lane: string; said: string }[] = [];
  const add = (lane: string, said: string[]) => {
    if (said.length) found.push({ lane, said: said.join("; ") });
  };
  for (const thread of page.threads) {
    const last = lastBefore(thread.points, at);
    if (last) {
      const rank = last.percentile == null ? "" : `, ${words.percentile} ${score(last.percentile)}`;
      add(thread.title, [
        `${score(last.score)}${rank}${last.band ? `, ${last.band}` : ""} (${day(last.on)})`,
      ]);
    }
  }
  for (const weekly of page.weekly) {
    const last = lastBefore(weekly.points, at);
    if (last && at - dayNumber(last.on) <= 31) add(weekly.title, [`${score(last.score)} (${day(last.on)})`]);
  }
  const week = (on: string) => dayNumber(on) <= at && at < dayNumber(on) + 7;
  const near = (on: string) => Math.abs(dayNumber(on) - at) <= 3;
  const spans = page.spans.filter(
    (one) => (!one.first || dayNumber(one.first) <= at) && (!one.last || dayNumber(one.last) >= at),
  );
  const marks = page.marks.filter((one) => near(one.on));
  const of = (...lanes: string[]) =>
    marks.filter((one) => lanes.includes(one.lane)).map((one) => markWords(one, hidden));
  add(words.lanes.group, [
    ...spans.filter((one) => one.lane === "group").map((one) => one.words),
    ...of("session"),
  ]);
  add(
    words.lanes.practice,
    page.practice.filter((one) => week(one.on)).map((one) => words.minutesOfPractice(score(one.score))),
  );
  add(words.lanes.absence, of("absence"));
  add(words.lanes.grade, of("grade"));
  add(
    words.lanes.span,
    spans.filter((one) => one.lane !== "group").map((one) => one.words),
  );
  add(words.lanes.mark, of("goal", "note", "decision"));
  return found;
}

/** A mark in words. */
export function markWords(one: Page["marks"][number], hidden: boolean): string {
  if (hidden && one.lane !== "session" && one.lane !== "absence") return words.hidden;
  if (one.lane === "session")
    return one.kind === "came" ? words.session(one.words, score(one.size)) : words.missed(one.words);
  if (one.lane === "goal") return words.goal(one.words, score(one.size));
  if (one.lane === "note") return `${one.kind === "family" ? words.family : words.internal}: ${one.words}`;
  if (one.lane === "decision")
    return words.decision([words.kinds[one.kind] ?? one.kind, one.words].filter(Boolean).join(", "));
  return one.words || day(one.on);
}
