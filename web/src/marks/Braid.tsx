/** Students on two measures at once: lines from a percentile on the first to that on the second. */

/** One entry a line in each list. */
export interface Strands {
  first: number[];
  second: number[];
  /** gained: a solid dark line; lost or crossed: a dashed one; the rest pale. */
  moved: (string | null)[];
}

const EDGE = 8;

export function Braid(props: {
  title: string;
  strands: Strands;
  /** Students, of whom several may share a line. */
  n: number;
  ends: [string, string];
  width: number;
  height: number;
}) {
  const { strands, width, height } = props;
  const y = (rank: number) => EDGE + ((100 - rank) / 100) * (height - 2 * EDGE);
  const { first, second, moved } = strands;
  const path = (drawn: (move: string | null) => boolean) =>
    moved
      .map((move, at) =>
        drawn(move)
          ? `M${EDGE},${y(first[at] ?? 0).toFixed(1)}L${width - EDGE},${y(second[at] ?? 0).toFixed(1)}`
          : "",
      )
      .join("");
  // Of many lines each is finer, so that the bundle stays a bundle.
  const fine = Math.min(1, Math.max(0.25, 40 / Math.max(1, props.n)));
  return (
    <svg
      viewBox={`0 0 ${width} ${height + 14}`}
      width="100%"
      role="img"
      aria-label={props.title}
      className="u-block"
    >
      {[EDGE, width - EDGE].map((at) => (
        <line key={at} x1={at} x2={at} y1={EDGE} y2={height - EDGE} stroke="var(--rule)" />
      ))}
      {[25, 50, 75].map((rank) => (
        <line
          key={rank}
          x1={EDGE}
          x2={width - EDGE}
          y1={y(rank)}
          y2={y(rank)}
          stroke="var(--line)"
          strokeWidth={rank === 50 ? 1 : 0.5}
        />
      ))}
      <path
        d={path((move) => !move)}
        fill="none"
        stroke="var(--ramp-2)"
        strokeWidth={0.8}
        opacity={0.7 * fine}
      />
      <path
        d={path((move) => move === "lost" || move === "crossed")}
        fill="none"
        stroke="var(--ink)"
        strokeWidth={0.4 + 0.7 * fine}
        strokeDasharray="4 3"
      />
      <path
        d={path((move) => move === "gained")}
        fill="none"
        stroke="var(--ink)"
        strokeWidth={0.4 + 0.9 * fine}
      />
      <text className="ax" x={EDGE} y={height + 10}>
        {props.ends[0]}
      </text>
      <text className="ax" x={width - EDGE} y={height + 10} textAnchor="end">
        {props.ends[1]}
      </text>
    </svg>
  );
}
