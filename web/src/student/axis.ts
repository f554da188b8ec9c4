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

/** The key of the lane of a test's strands. */
export const strandsKey = (title: string) => `strands ${title}`;

/** Days for which a strand's last score still says something. */
const STALE = 150;

type StrandLine = Page["strands"][number];

/** A strand's score, or the percent of its points. */
export const strandValue = (line: StrandLine, value: number) =>
  line.of_points ? words.ofPoints(score(value)) : score(value);

export interface StandardsDay {
  on: string;
  states: Page["standards"];
}

/** Standards by the day of their evidence. */
export function standardsBy(page: Page): StandardsDay[] {
  const days = new Map<string, Page["standards"]>();
  for (const one of page.standards) days.set(one.on, [...(days.get(one.on) ?? []), one]);
  return [...days].map(([on, states]) => ({ on, states }));
}

export const STATES = ["mastered", "nearly", "not yet", "thin evidence"] as const;

/** How many standards are in which state by a day. */
export function standardsSaid(one: StandardsDay): string {
  const counts = STATES.map(
    (state) => [state, one.states.filter((own) => own.state === state).length] as const,
  );
  return counts
    .filter(([, n]) => n > 0)
    .map(([state, n]) => `${n} ${words.states[state]}`)
    .join(", ");
}

/** Everything of every lane as rows, the latest first: what the picture shows, for who cannot see it. */
export function rowsOf(page: Page, hidden: boolean): { on: string; lane: string; said: string }[] {
  const rows: { on: string; lane: string; said: string }[] = [];
  for (const thread of page.threads) {
    for (const one of thread.points) {
      const rank = one.percentile == null ? "" : `, ${words.percentile} ${score(one.percentile)}`;
      const range = one.low == null || one.high == null ? "" : ` (${score(one.low)}–${score(one.high)})`;
      rows.push({
        on: one.on,
        lane: thread.title,
        said: `${score(one.score)}${range}${rank}${one.band ? `, ${one.band}` : ""}`,
      });
    }
    for (const line of thread.scales)
      for (const one of line.points)
        rows.push({ on: one.on, lane: thread.title, said: `${line.scale}: ${one.words}` });
  }
  for (const line of page.strands)
    for (const one of line.points)
      rows.push({ on: one.on, lane: line.title, said: `${line.strand} ${strandValue(line, one.score)}` });
  for (const day of standardsBy(page))
    for (const state of STATES) {
      const own = day.states.filter((one) => one.state === state).map((one) => one.standard);
      if (own.length)
        rows.push({
          on: day.on,
          lane: words.lanes.standard,
          said: `${words.states[state]}: ${own.join(", ")}`,
        });
    }
  for (const weekly of page.weekly)
    for (const one of weekly.points) rows.push({ on: one.on, lane: weekly.title, said: score(one.score) });
  for (const one of page.practice)
    rows.push({ on: one.on, lane: words.lanes.practice, said: words.minutesOfPractice(score(one.score)) });
  for (const one of page.spans)
    if (one.first)
      rows.push({
        on: one.first,
        lane: words.lanes[one.lane === "group" ? "group" : one.lane === "school" ? "school" : "span"],
        said: one.last ? words.fromTo(one.words, day(one.last)) : words.from(one.words),
      });
  for (const one of page.marks)
    rows.push({ on: one.on, lane: words.lanes[laneOfMark(one.lane)], said: markWords(one, hidden) });
  return rows.sort((a, b) => b.on.localeCompare(a.on));
}

function laneOfMark(lane: Page["marks"][number]["lane"]): "group" | "absence" | "grade" | "mark" {
  if (lane === "session") return "group";
  return lane === "absence" || lane === "grade" ? lane : "mark";
}

/** What the unfolded lanes say at a day, lane by lane; a lane without anything there is left out. */
export function readAt(
  page: Page,
  at: number,
  hidden: boolean,
  shown: (lane: string) => boolean,
): { lane: string; said: string }[] {
  const found: { lane: string; said: string }[] = [];
  const add = (lane: string, said: string[]) => {
    const there = found.find((one) => one.lane === lane);
    if (!said.length) return;
    if (there) there.said += `; ${said.join("; ")}`;
    else found.push({ lane, said: said.join("; ") });
  };
  for (const thread of page.threads) {
    const last = shown(thread.title) && lastBefore(thread.points, at);
    if (last) {
      const rank = last.percentile == null ? "" : `, ${words.percentile} ${score(last.percentile)}`;
      add(thread.title, [
        `${score(last.score)}${rank}${last.band ? `, ${last.band}` : ""} (${day(last.on)})`,
      ]);
    }
  }
  for (const line of page.strands) {
    const last = shown(strandsKey(line.title)) && lastBefore(line.points, at);
    if (last && at - dayNumber(last.on) <= STALE)
      add(line.title, [`${line.strand} ${strandValue(line, last.score)}`]);
  }
  const standards = shown("standard")
    ? standardsBy(page).filter((one) => Math.abs(dayNumber(one.on) - at) <= 3)
    : [];
  add(
    words.lanes.standard,
    standards.map((one) => standardsSaid(one)),
  );
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
    spans.filter((one) => one.lane !== "group" && one.lane !== "school").map((one) => one.words),
  );
  if (shown("school"))
    add(
      words.lanes.school,
      spans.filter((one) => one.lane === "school").map((one) => one.words),
    );
  add(words.lanes.mark, of("goal", "note", "decision", "retest"));
  return found;
}

/** A mark in words. */
export function markWords(one: Page["marks"][number], hidden: boolean): string {
  if (hidden && one.lane !== "session" && one.lane !== "absence") return words.hidden;
  if (one.lane === "session")
    return one.kind === "came" ? words.session(one.words, score(one.size)) : words.missed(one.words);
  if (one.lane === "goal") return words.goal(one.words, score(one.size));
  if (one.lane === "retest") return words.retest(one.words);
  if (one.lane === "note") return `${one.kind === "family" ? words.family : words.internal}: ${one.words}`;
  if (one.lane === "decision")
    return words.decision([words.kinds[one.kind] ?? one.kind, one.words].filter(Boolean).join(", "));
  return one.words || day(one.on);
}
