/** One student's results over time: points, trends, aim line, benchmark behind, changes of the help, practice below. */
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

const TICKS = 5;
const BARS = 11;
/** Minutes of practice in a week that fill a bar. */
const FULL = 60;

export function ProgressMark(props: {
  title: string;
  frame: Frame;
  series: Schemas["Series"];
  /** Days of sessions that were held. */
  sessions: string[];
  width: number;
  height: number;
  /** Whether changes of the help are named beside their lines. */
  named?: boolean;
}) {
  const { frame, width, height, series } = props;
  const at = (day: number) => ((day - frame.from) / (frame.to - frame.from)) * width;
  const x = (on: string) => at(dayNumber(on));
  const practice = series.practice.length > 0;
  const floor = height - TICKS - 2 - (practice ? BARS + 2 : 0);
  const y = (score: number) => floor - ((score - frame.low) / (frame.high - frame.low)) * (floor - 2);
  const path = (line: Point[]) =>
    line.map((one, i) => `${i ? "L" : "M"}${x(one.on).toFixed(1)},${y(one.score).toFixed(1)}`).join("");
  const week = Math.max(1.5, at(frame.from + 7) - 1.5);
  return (
    <svg
      viewBox={`0 0 ${width} ${height}`}
      width="100%"
      role="img"
      aria-label={props.title}
      style={{ display: "block", overflow: "hidden" }}
    >
      {series.benchmark.length > 1 && (
        <path d={path(series.benchmark)} fill="none" stroke="var(--belt)" strokeWidth={7} />
      )}
      {series.marks.map((one) => (
        <g key={`${one.on}${one.kind}`}>
          <line
            x1={x(one.on)}
            x2={x(one.on)}
            y1={0}
            y2={floor}
            stroke="var(--quiet)"
            strokeWidth={one.kind === "start" ? 0.8 : 1.4}
            strokeDasharray={one.kind === "pause" ? "1.5 2.5" : undefined}
          />
          {props.named && (
            <text className="ax" x={x(one.on) + 3} y={10}>
              {one.words.slice(0, 40)}
            </text>
          )}
        </g>
      ))}
      {series.aim.length > 1 && (
        <path d={path(series.aim)} fill="none" stroke="var(--ink)" strokeWidth={1} strokeDasharray="4 3" />
      )}
      {series.before.map((line) => (
        <path
          key={line[0]?.on ?? ""}
          d={path(line)}
          fill="none"
          stroke="var(--ramp-3)"
          strokeWidth={1}
          opacity={0.6}
        />
      ))}
      {series.trend.length > 1 && (
        <path d={path(series.trend)} fill="none" stroke="var(--ramp-3)" strokeWidth={1.5} />
      )}
      {series.points.map((one) => (
        <circle key={one.on} cx={x(one.on)} cy={y(one.score)} r={2.2} fill="var(--ink)" />
      ))}
      {series.practice.map((one) => {
        const size = Math.max(1, Math.min(1, one.minutes / FULL) * BARS);
        return (
          <rect
            key={one.monday}
            x={x(one.monday)}
            y={height - TICKS - 2 - size}
            width={week}
            height={size}
            fill="var(--ramp-2)"
          />
        );
      })}
      {props.sessions.map((on) => (
        <rect key={on} x={x(on) - 0.75} y={height - 4} width={1.5} height={4} fill="var(--quiet)" />
      ))}
    </svg>
  );
}
