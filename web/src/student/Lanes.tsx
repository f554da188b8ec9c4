/** The lanes of the time axis, drawn: threads over their bands, lines, bars, spans and marks. */
import type { Schemas } from "../api/client";
import { tone } from "../marks/ramp";
import { day, score } from "../words/format";
import { student as words } from "../words/steps/student";
import { dayNumber, markWords, type Page, STATES, standardsBy, standardsSaid, strandValue } from "./axis";

type Thread = Schemas["Thread"];
type X = (on: string) => number;
/** "score", "percentile", or the name of another scale of the results. */
export type Scale = string;

/** Days between two results from which on a gap is left open. */
const GAP = 250;

interface Drawn {
  x: X;
  width: number;
  height: number;
}

/** A scale from values to heights, with a little room at both ends. */
function heights(values: number[], height: number) {
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const room = Math.max((high - low) * 0.1, 1);
  return (value: number) => 4 + ((high + room - value) / (high - low + 2 * room)) * (height - 8);
}

/** A thread on another scale of its results: values, and ranges where they are ranges. */
function OtherScale({ thread, scale, x, height }: Drawn & { thread: Thread; scale: Scale }) {
  const line = thread.scales.find((one) => one.scale === scale);
  const points = (line?.points ?? []).flatMap((one) =>
    one.value == null ? [] : [{ ...one, value: one.value }],
  );
  if (!points.length)
    return (
      <text className="ax" x={8} y={height / 2 + 4}>
        {words.notOnThisScale}
      </text>
    );
  const y = heights(
    points.flatMap((one) => [one.value, one.low ?? one.value, one.high ?? one.value]),
    height,
  );
  const path = points
    .map((one, at) => `${isOpen(points, at) ? "M" : "L"}${x(one.on)},${y(one.value)}`)
    .join("");
  return (
    <g>
      <path d={path} fill="none" stroke="var(--ramp-3)" strokeWidth={1.3} />
      {points.map((one) => (
        <g key={one.on}>
          <title>{`${day(one.on)}: ${scale} ${one.words}`}</title>
          {one.low != null && one.high != null && (
            <line x1={x(one.on)} x2={x(one.on)} y1={y(one.high)} y2={y(one.low)} stroke="var(--ink)" />
          )}
          <circle cx={x(one.on)} cy={y(one.value)} r={3.2} fill="var(--panel)" stroke="var(--ink)" />
        </g>
      ))}
    </g>
  );
}

/** Whether a line begins anew at a point: at the first, and after a gap. */
function isOpen(points: { on: string }[], at: number): boolean {
  const [before, now] = [points[at - 1], points[at]];
  return !before || !now || dayNumber(now.on) - dayNumber(before.on) > GAP;
}

export function ThreadLane(props: Drawn & { thread: Thread; scale: Scale }) {
  const { thread, scale, x, height } = props;
  if (scale !== "score" && scale !== "percentile") return <OtherScale {...props} />;
  const ranked = scale === "percentile";
  const value = (one: Thread["points"][number]) => (ranked ? one.percentile : one.score);
  const known = thread.points.filter((one) => value(one) != null);
  const cuts = ranked ? [] : thread.cuts;
  const all = [
    ...known.flatMap((one) =>
      ranked ? [value(one) ?? 0] : [one.score, one.low ?? one.score, one.high ?? one.score],
    ),
    ...cuts.flatMap((one) => one.points.map((point) => point.score)),
  ];
  const y = ranked ? heights([1, 99], height) : heights(all.length ? all : [0, 1], height);
  const path = known
    .map((one, at) => {
      const to = isOpen(known, at) ? "M" : "L";
      return `${to}${x(one.on).toFixed(1)},${y(value(one) ?? 0).toFixed(1)}`;
    })
    .join("");
  return (
    <g>
      {cuts.map((line) => (
        <path
          key={line.order}
          d={line.points.map((one, at) => `${at ? "L" : "M"}${x(one.on)},${y(one.score)}`).join("")}
          fill="none"
          stroke={tone(line.order, thread.bands.length)}
          strokeWidth={1.2}
          strokeDasharray="1 3"
        >
          <title>{line.band}</title>
        </path>
      ))}
      {ranked && <line x1={0} x2="100%" y1={y(50)} y2={y(50)} stroke="var(--line)" />}
      <path d={path} fill="none" stroke="var(--ramp-3)" strokeWidth={1.3} />
      {known.map((one, at) => (
        <g key={one.window}>
          <title>
            {one.window}: {score(value(one))}
            {one.band ? `, ${one.band}` : ""}
          </title>
          {!ranked && one.low != null && one.high != null && (
            <line x1={x(one.on)} x2={x(one.on)} y1={y(one.high)} y2={y(one.low)} stroke="var(--ink)" />
          )}
          <circle
            cx={x(one.on)}
            cy={y(value(one) ?? 0)}
            r={3.2}
            fill={at === known.length - 1 ? "var(--ink)" : "var(--panel)"}
            stroke="var(--ink)"
          />
        </g>
      ))}
    </g>
  );
}

/** A line between its points, as Follow-up draws it. */
function path(points: { on: string; score: number }[], x: X, y: (value: number) => number): string {
  return points.map((one, at) => `${at ? "L" : "M"}${x(one.on)},${y(one.score)}`).join("");
}

export function WeeklyLane({ page, x, height }: Drawn & { page: Page }) {
  const all = page.weekly.flatMap((one) => [...one.points, ...one.aim, ...one.trend]);
  if (!all.length) return null;
  const y = heights(
    all.map((one) => one.score),
    height,
  );
  return (
    <g>
      {page.weekly.map((one) => (
        <g key={one.title}>
          {one.said && <title>{one.said}</title>}
          <path d={path(one.aim, x, y)} fill="none" stroke="var(--ink)" strokeDasharray="4 3" />
          <path d={path(one.trend, x, y)} fill="none" stroke="var(--ramp-3)" strokeWidth={1.5} />
          {one.points.map((point) => (
            <circle key={point.on} cx={x(point.on)} cy={y(point.score)} r={2} fill="var(--ink)">
              <title>
                {one.title}, {day(point.on)}: {score(point.score)}
              </title>
            </circle>
          ))}
        </g>
      ))}
    </g>
  );
}

/** Strands of a test, a fine line each with its name at the left. */
export function StrandLane({ lines, x, height }: Drawn & { lines: Page["strands"] }) {
  const row = height / Math.max(1, lines.length);
  return (
    <g>
      {lines.map((line, at) => {
        const y = heights(
          line.points.map((one) => one.score),
          row,
        );
        const top = at * row;
        return (
          <g key={line.strand} transform={`translate(0, ${top})`}>
            <path
              d={line.points
                .map((one, i) => `${isOpen(line.points, i) ? "M" : "L"}${x(one.on)},${y(one.score)}`)
                .join("")}
              fill="none"
              stroke="var(--ramp-3)"
            />
            {line.points.map((one) => (
              <circle key={one.on} cx={x(one.on)} cy={y(one.score)} r={2.2} fill="var(--ink)">
                <title>{`${line.strand}, ${day(one.on)}: ${strandValue(line, one.score)}`}</title>
              </circle>
            ))}
            <text className="ax" x={4} y={row / 2 + 4}>
              {line.strand}
            </text>
          </g>
        );
      })}
    </g>
  );
}

const SQUARE = 6;
/** How a square shows a state: filled, half, empty, dotted, as the evidence mark everywhere. */
const SQUARES: Record<string, { fill: string; dash?: string }> = {
  mastered: { fill: "var(--ink)" },
  nearly: { fill: "var(--ramp-2)" },
  "not yet": { fill: "none" },
  "thin evidence": { fill: "none", dash: "1 1.5" },
};

/** Standards by the day of their evidence: a square each, mastered at the foot. */
export function StandardLane({ page, x, height }: Drawn & { page: Page }) {
  const rows = Math.max(1, Math.floor((height - 2) / (SQUARE + 1)));
  return (
    <g>
      {standardsBy(page).map((one) => {
        const ordered = STATES.flatMap((state) => one.states.filter((own) => own.state === state));
        return (
          <g key={one.on}>
            <title>{`${day(one.on)}: ${standardsSaid(one)}`}</title>
            {ordered.map((own, at) => (
              <rect
                key={own.standard}
                x={x(one.on) + Math.floor(at / rows) * (SQUARE + 1)}
                y={height - 2 - ((at % rows) + 1) * (SQUARE + 1)}
                width={SQUARE - 1}
                height={SQUARE - 1}
                fill={SQUARES[own.state]?.fill}
                stroke="var(--ink)"
                strokeWidth={0.7}
                strokeDasharray={SQUARES[own.state]?.dash}
              >
                <title>{`${own.standard} ${own.text}: ${words.states[own.state]}`}</title>
              </rect>
            ))}
          </g>
        );
      })}
    </g>
  );
}

/** Spans as bars in rows, as many as overlap; an open end runs on. */
export function SpanLane(props: Drawn & { spans: Page["spans"]; oneRow?: boolean }) {
  const { spans, x, width, height } = props;
  const rows = props.oneRow ? [""] : [...new Set(spans.map((one) => one.words))];
  const size = Math.min(14, (height - 4) / Math.max(1, rows.length));
  return (
    <g>
      {spans.map((one) => {
        const from = one.first ? Math.max(0, x(one.first)) : 0;
        const to = one.last ? Math.min(width, x(one.last)) : width;
        if (to <= 0 || from >= width) return null;
        const top = 2 + Math.max(0, rows.indexOf(one.words)) * size;
        return (
          <g key={`${one.lane}${one.words}${one.first}`}>
            <title>{one.words}</title>
            <rect x={from} y={top} width={Math.max(2, to - from)} height={size - 2} fill="var(--belt)" />
            {size >= 10 && (
              <text className="ax" x={from + 4} y={top + size - 4}>
                {one.words}
              </text>
            )}
          </g>
        );
      })}
    </g>
  );
}

export function BarLane({ page, x, height }: Drawn & { page: Page }) {
  const most = Math.max(1, ...page.practice.map((one) => one.score));
  return (
    <g>
      {page.practice.map((one) => {
        const size = Math.max(1, (one.score / most) * (height - 4));
        const wide = Math.max(
          1.5,
          ((x(one.on) - x(page.first)) / Math.max(1, dayNumber(one.on) - dayNumber(page.first))) * 6,
        );
        return (
          <rect key={one.on} x={x(one.on)} y={height - size} width={wide} height={size} fill="var(--ramp-2)">
            <title>{`${day(one.on)}: ${words.minutesOfPractice(score(one.score))}`}</title>
          </rect>
        );
      })}
    </g>
  );
}

const SHAPES: Record<string, string> = { goal: "⚑", note: "✎", decision: "◆", retest: "↻", grade: "" };

export function MarkLane({ marks, hidden, x, height }: Drawn & { marks: Page["marks"]; hidden: boolean }) {
  return (
    <g>
      {marks.map((one, at) => {
        const said = `${day(one.on)}: ${markWords(one, hidden)}`;
        const shape =
          one.lane === "grade" ? (one.words.split(" ").at(1) ?? "").replace(",", "") : SHAPES[one.lane];
        // Several marks of a kind can stand on a day.
        const key = `${one.lane}${one.on}${at}`;
        return shape ? (
          <text
            key={key}
            className="ax"
            x={x(one.on) - 4}
            y={height / 2 + 4 + (one.lane === "grade" && at % 2 ? 8 : 0)}
          >
            {shape}
            <title>{said}</title>
          </text>
        ) : (
          <rect
            key={key}
            x={x(one.on) - 0.75}
            y={one.kind === "away" ? height / 2 : 4}
            width={1.5}
            height={one.kind === "away" ? height / 2 - 4 : height - 8}
            fill={one.kind === "away" ? "var(--rule)" : "var(--quiet)"}
          >
            <title>{said}</title>
          </rect>
        );
      })}
    </g>
  );
}
