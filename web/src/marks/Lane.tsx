/** A growth lane: one line on the score scale from the hollow dot to the solid dot, with the expected tick. */
import type { Schemas } from "../api/client";
import { marks as words } from "../words/around/marks";
import { score } from "../words/format";
import { tone } from "./ramp";
import { linear, ticks } from "./scale";

interface Props {
  row: Schemas["StudentRow"];
  domain: [number, number];
  bands: number;
  width: number;
  height?: number;
  /** Show the mean of the norm and of the district as fine marks. */
  means?: boolean;
}

export function Lane({ row, domain, bands, width, height = 26, means = false }: Props) {
  const x = linear(domain, [7, width - 7]);
  const y = height / 2;
  const { from_score: first, to_score: second, expected_score: expected } = row;
  const fell = first != null && second != null && second < first;
  const [whiskerAt, error] = second != null ? [second, row.to_error] : [first, row.from_error];
  const parts = [
    first != null ? words.first(score(first)) : words.noFirstResult,
    second != null ? words.second(score(second)) : words.noSecondResult,
    expected != null ? words.expected(score(expected)) : "",
    row.goal != null ? words.goal(score(row.goal)) : "",
    means && row.to_norm_mean != null ? words.normMean(score(row.to_norm_mean)) : "",
    means && row.district_mean != null ? words.districtMean(score(row.district_mean)) : "",
  ];
  return (
    <svg width={width} height={height} role="img" aria-label={parts.filter(Boolean).join(", ")}>
      {ticks(domain, 4).map((at) => (
        <line key={at} x1={x(at)} x2={x(at)} y1={0} y2={height} stroke="var(--belt)" />
      ))}
      {whiskerAt != null && error != null && (
        <line x1={x(whiskerAt - error)} x2={x(whiskerAt + error)} y1={y} y2={y} stroke="var(--whisker)" />
      )}
      {second == null && row.expected_low != null && row.expected_high != null && (
        <line
          x1={x(row.expected_low)}
          x2={x(row.expected_high)}
          y1={y + 5}
          y2={y + 5}
          stroke="var(--quiet)"
          strokeDasharray="1 2"
        />
      )}
      {first != null && second != null && (
        <line
          x1={x(first)}
          x2={x(second)}
          y1={y}
          y2={y}
          stroke="var(--ink)"
          strokeWidth={2.4}
          strokeDasharray={fell ? "3 2" : undefined}
        />
      )}
      {expected != null && (
        <line
          x1={x(expected)}
          x2={x(expected)}
          y1={y - 8}
          y2={y + 8}
          stroke="var(--quiet)"
          strokeWidth={1.6}
        />
      )}
      {means && row.to_norm_mean != null && (
        <path
          d={`M${x(row.to_norm_mean) - 3.5},${height - 1} h7 l-3.5,-5 z`}
          fill="none"
          stroke="var(--quiet)"
        />
      )}
      {means && row.district_mean != null && (
        <path d={`M${x(row.district_mean) - 3.5},1 h7 l-3.5,5 z`} fill="var(--quiet)" />
      )}
      {row.goal != null && (
        <path
          d={`M${x(row.goal)},${y + 8} V${y - 9} l7,3.2 l-7,3.2`}
          fill="var(--panel)"
          stroke="var(--ink)"
          strokeWidth={1.2}
        />
      )}
      {first != null && (
        <circle cx={x(first)} cy={y} r={4} fill="var(--panel)" stroke="var(--ink)" strokeWidth={1.5} />
      )}
      {second != null && (
        <circle
          cx={x(second)}
          cy={y}
          r={4.6}
          fill={row.to_order ? tone(row.to_order, bands) : "var(--ramp-2)"}
          stroke="var(--band-outline)"
        />
      )}
    </svg>
  );
}
