/** Means over the windows as lines with whiskers; subgroups are dashed differently, never told by colour alone. */

import { marks as words } from "../words/around/marks";
import { many } from "../words/format";
import { linear, ticks } from "./scale";

export interface TrendMark {
  name: string;
  points: { value: number | null; low: number | null; high: number | null; n: number }[];
}

interface Props {
  lines: TrendMark[];
  labels: string[];
  width: number;
  height: number;
  /** How a value is written. */
  say: (value: number) => string;
  onOpen: (line: number, at: number) => void;
}

const DASHES = ["", "7 4", "2 3", "10 3 2 3", "5 2"];
const LEFT = 46;
const RIGHT = 170;
const FOOT = 24;
const TOP = 12;

/** End labels moved apart so that none covers another. */
function apart(wanted: number[], least: number): number[] {
  const order = wanted.map((y, at) => ({ y, at })).sort((a, b) => a.y - b.y);
  let last = Number.NEGATIVE_INFINITY;
  const found = [...wanted];
  for (const one of order) {
    last = Math.max(one.y, last + least);
    found[one.at] = last;
  }
  return found;
}

export function TrendLines({ lines, labels, width, height, say, onOpen }: Props) {
  const values = lines.flatMap((line) =>
    line.points.flatMap((p) => [p.low ?? p.value, p.high ?? p.value].filter((v) => v != null)),
  );
  if (values.length === 0) return <p className="aside">{words.thereIsNothingToDraw}</p>;
  const low = Math.min(...values);
  const high = Math.max(...values);
  const room = Math.max((high - low) * 0.08, (Math.abs(high) || 1) * 0.004);
  const domain: [number, number] = [low - room, high + room];
  const x = linear([0, Math.max(1, labels.length - 1)], [LEFT + 12, width - RIGHT]);
  const y = linear(domain, [height - FOOT, TOP]);
  const ends = lines.map((line) => y(line.points.findLast((p) => p.value != null)?.value ?? low));
  const ys = apart(ends, 15);
  return (
    // biome-ignore lint/a11y/useSemanticElements: a drawing whose parts are buttons is a group
    <svg className="flow" width={width} height={height} role="group" aria-label={words.trendOverTheWindows}>
      {ticks(domain, 5).map((tick) => (
        <g key={tick}>
          <line x1={LEFT} x2={width - RIGHT} y1={y(tick)} y2={y(tick)} stroke="var(--faint-line)" />
          <text className="ax" x={LEFT - 6} y={y(tick) + 4} textAnchor="end">
            {say(tick)}
          </text>
        </g>
      ))}
      {labels.map((label, at) => (
        <text key={label} className="ax" x={x(at)} y={height - 6} textAnchor="middle">
          {labels.length > 6 ? label.replace(/^20(\d\d)-(\d\d) /, "$1-$2 ") : label}
        </text>
      ))}
      {lines.map((line, l) => {
        const shift = (l - (lines.length - 1) / 2) * 5;
        const known = line.points.map((p, at) => ({ ...p, at })).filter((p) => p.value != null);
        return (
          <g key={line.name}>
            {known.slice(1).map((p, k) => {
              const before = known[k];
              // A window without results leaves a gap, not a line across it.
              if (!before || p.at - before.at > 1) return null;
              return (
                <line
                  key={p.at}
                  x1={x(before.at) + shift}
                  y1={y(before.value ?? 0)}
                  x2={x(p.at) + shift}
                  y2={y(p.value ?? 0)}
                  stroke="var(--ink)"
                  strokeWidth={l === 0 ? 2.4 : 1.5}
                  strokeDasharray={DASHES[l % DASHES.length]}
                />
              );
            })}
            {known.map((p) => {
              const name = words.students(
                line.name,
                labels[p.at],
                say(p.value ?? 0),
                p.low != null && p.high != null ? ` (${say(p.low)} to ${say(p.high)})` : "",
                many(p.n),
              );
              return (
                // biome-ignore lint/a11y/useSemanticElements: a button element cannot stand inside a drawing
                <g
                  key={p.at}
                  role="button"
                  tabIndex={0}
                  aria-label={name}
                  onClick={() => onOpen(l, p.at)}
                  onKeyDown={(event) => {
                    if (event.key === "Enter" || event.key === " ") {
                      event.preventDefault();
                      onOpen(l, p.at);
                    }
                  }}
                >
                  <title>{name}</title>
                  {p.low != null && p.high != null && (
                    <line
                      x1={x(p.at) + shift}
                      x2={x(p.at) + shift}
                      y1={y(p.low)}
                      y2={y(p.high)}
                      stroke="var(--whisker)"
                      strokeWidth={2}
                    />
                  )}
                  <circle
                    cx={x(p.at) + shift}
                    cy={y(p.value ?? 0)}
                    r={4.4}
                    fill={p.at === labels.length - 1 ? "var(--ink)" : "var(--panel)"}
                    stroke="var(--ink)"
                    strokeWidth={1.5}
                  />
                </g>
              );
            })}
            {known.length > 0 && (
              <text x={width - RIGHT + 14} y={(ys[l] ?? 0) + 4} style={{ fontWeight: l === 0 ? 600 : 400 }}>
                {line.name.length > 24 ? `${line.name.slice(0, 23)}…` : line.name}
              </text>
            )}
          </g>
        );
      })}
    </svg>
  );
}
