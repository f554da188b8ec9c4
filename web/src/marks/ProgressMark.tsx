/** One student's results over time: points, trend, aim line, the benchmark behind, sessions below. */
import type { Schemas } from "../api/client";

type Point = Schemas["Point"];

export interface Frame {
  /** Days since 1970 at both ends, and scores at both ends. */
  from: number;
  to: number;
  low: number;
  high: number;
}

export const dayNumber = (on: string) => Date.parse(`${on}T12:00:00Z`) / 86_400_000;

/** The frame that holds everything of some students, so that their pictures can be compared. */
export function frameOf(first: string, last: string, lines: Point[][]): Frame {
  // A little room at both ends, so that no dot is cut.
  const edge = Math.max(1, (dayNumber(last) - dayNumber(first)) * 0.02);
  const from = dayNumber(first) - edge;
  const to = Math.max(dayNumber(last), from + 7) + edge;
  const scores = lines
    .flat()
    .filter((one) => dayNumber(one.on) >= from && dayNumber(one.on) <= to)
    .map((one) => one.score);
  const low = Math.min(...scores, Number.POSITIVE_INFINITY);
  const high = Math.max(...scores, Number.NEGATIVE_INFINITY);
  if (low > high) return { from, to, low: 0, high: 1 };
  const room = Math.max(1, (high - low) * 0.08);
  return { from, to, low: low - room, high: high + room };
}

export function ProgressMark(props: {
  title: string;
  frame: Frame;
  points: Point[];
  trend: Point[];
  aim: Point[];
  benchmark: Point[];
  sessions: string[];
  width: number;
  height: number;
}) {
  const { frame, width, height } = props;
  const x = (on: string) => ((dayNumber(on) - frame.from) / (frame.to - frame.from)) * width;
  const floor = height - 6;
  const y = (score: number) => floor - ((score - frame.low) / (frame.high - frame.low)) * (floor - 2);
  const path = (line: Point[]) =>
    line.map((one, at) => `${at ? "L" : "M"}${x(one.on).toFixed(1)},${y(one.score).toFixed(1)}`).join("");
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      width="100%"
      role="img"
      aria-label={props.title}
      style={{ display: "block", overflow: "hidden" }}
    >
      {props.benchmark.length > 1 && (
        <path d={path(props.benchmark)} fill="none" stroke="var(--belt)" strokeWidth={7} />
      )}
      {props.aim.length > 1 && (
        <path d={path(props.aim)} fill="none" stroke="var(--ink)" strokeWidth={1} strokeDasharray="4 3" />
      )}
      {props.trend.length > 1 && (
        <path d={path(props.trend)} fill="none" stroke="var(--ramp-3)" strokeWidth={1.5} />
      )}
      {props.points.map((one) => (
        <circle key={one.on} cx={x(one.on)} cy={y(one.score)} r={2.2} fill="var(--ink)" />
      ))}
      {props.sessions.map((on) => (
        <rect key={on} x={x(on) - 0.75} y={height - 4} width={1.5} height={4} fill="var(--quiet)" />
      ))}
    </svg>
  );
}
