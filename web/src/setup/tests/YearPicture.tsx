/** A grade's year: the norm mean with a spread each way, and the bands between the cuts of each season. */
import type { Schemas } from "../../api/client";
import { tone } from "../../marks/ramp";
import { linear, ticks } from "../../marks/scale";
import { setup as words } from "../../words/steps/setup";

type Grade = Schemas["GradeSetup"];
const WEEKS: [number, number] = [0, 36];
const PAD = { left: 44, right: 108, top: 10, bottom: 30 };

export function YearPicture({ grade, width, height }: { grade: Grade; width: number; height: number }) {
  const seasonal = grade.cuts.filter((cut) => cut.season);
  const drawn = (seasonal.length ? seasonal : grade.cuts).filter((cut) =>
    cut.lows.every((low) => low != null),
  );
  const values = [
    ...grade.norms.flatMap((point) => [point.mean - 1.4 * point.sd, point.mean + 1.4 * point.sd]),
    ...drawn.flatMap((cut) => cut.lows as number[]),
  ];
  if (!values.length) return <p className="aside">{words.thereIsNothingToDraw}</p>;
  const room = 14;
  const domain: [number, number] = [Math.min(...values) - room, Math.max(...values) + room];
  const x = linear(WEEKS, [PAD.left, width - PAD.right]);
  const y = linear(domain, [height - PAD.bottom, PAD.top]);
  // A season's cuts hold from half-way after the season before to half-way to the next.
  const edges = drawn.map((cut, at) => {
    const before = drawn[at - 1];
    const next = drawn[at + 1];
    return {
      cut,
      from: before ? (before.week + cut.week) / 2 : WEEKS[0],
      to: next ? (cut.week + next.week) / 2 : WEEKS[1],
    };
  });
  const line = (shift: number) =>
    grade.norms
      .map((point, at) => `${at ? "L" : "M"}${x(point.week)},${y(point.mean + shift * point.sd)}`)
      .join("");
  const last = edges.at(-1);
  return (
    <svg width={width} height={height} role="img" aria-label={words.gradeNormsAndCutsOver(grade.grade)}>
      {edges.map(({ cut, from, to }) =>
        grade.bands.map((band, order) => {
          const low = order ? (cut.lows[order - 1] as number) : domain[0];
          const high = order < cut.lows.length ? (cut.lows[order] as number) : domain[1];
          return (
            <rect
              key={`${cut.season} ${band}`}
              x={x(from)}
              width={Math.max(0, x(to) - x(from))}
              y={y(high)}
              height={Math.max(0, y(low) - y(high))}
              fill={tone(order + 1, grade.bands.length)}
              opacity={0.42}
            >
              <title>
                {band} {words.inWord} {cut.season ?? words.theWholeYear}
                {words.from} {order ? low.toFixed(0) : words.theLowest}
              </title>
            </rect>
          );
        }),
      )}
      {edges.flatMap(({ cut, from, to }) =>
        (cut.lows as number[]).map((low, at) => (
          <line
            key={`${cut.season} ${grade.bands[at + 1]}`}
            x1={x(from)}
            x2={x(to)}
            y1={y(low)}
            y2={y(low)}
            stroke="var(--ink)"
            strokeWidth={1}
          />
        )),
      )}
      {last &&
        grade.bands.map((band, order) => {
          const low = order ? (last.cut.lows[order - 1] as number) : domain[0];
          const high = order < last.cut.lows.length ? (last.cut.lows[order] as number) : domain[1];
          return (
            <text
              key={band}
              x={width - PAD.right + 8}
              y={(y(low) + y(high)) / 2 + 4}
              fontSize={12.5}
              fill="var(--ink)"
            >
              {band}
            </text>
          );
        })}
      {[-1, 1].map((side) => (
        <path
          key={side}
          d={line(side)}
          fill="none"
          stroke="var(--ink)"
          strokeWidth={1}
          strokeDasharray="2 3"
        />
      ))}
      <path d={line(0)} fill="none" stroke="var(--ink)" strokeWidth={2} />
      {grade.norms.map((point) => (
        <circle key={point.week} cx={x(point.week)} cy={y(point.mean)} r={3} fill="var(--ink)">
          <title>
            {point.season}
            {words.week2} {point.week}
            {words.normMean} {point.mean.toFixed(1)}
            {words.spread2} {point.sd.toFixed(1)}
          </title>
        </circle>
      ))}
      {ticks(domain, 6).map((value) => (
        <text key={value} x={PAD.left - 6} y={y(value) + 4} className="ax" textAnchor="end">
          {value}
        </text>
      ))}
      {[0, 6, 12, 18, 24, 30, 36].map((week) => (
        <text key={week} x={x(week)} y={height - 12} className="ax" textAnchor="middle">
          {week === 0 ? "week 0" : week}
        </text>
      ))}
    </svg>
  );
}
