/** A share today, and the band in which it will probably lie at the window to come. */
import type { Schemas } from "../api/client";
import { linear } from "../marks/scale";
import { percent } from "../words/format";
import { growth as words } from "../words/steps/growth";

interface Props {
  now: number | null;
  share: Schemas["OutlookShare"];
  aim: number | null;
  labels: [string, string];
  width: number;
}

const HEIGHT = 160;
const LEFT = 44;
const RIGHT = 62;

export function OutlookBand({ now, share, aim, labels, width }: Props) {
  const ends = [now, share.low, share.high, aim].filter((value) => value != null);
  // At least ten points high, so that a small change does not look like a leap.
  const room = Math.max(0.02, (0.1 - (Math.max(...ends) - Math.min(...ends))) / 2);
  const low = Math.max(0, Math.min(...ends) - room);
  const high = Math.min(1, Math.max(...ends) + room);
  const y = linear([low, high], [HEIGHT - 22, 10]);
  const [from, to] = [LEFT, width - RIGHT];
  const start = now ?? share.expected_share;
  const said = words.bandDrawn(
    now == null ? "" : percent(now),
    percent(share.expected_share),
    percent(share.low),
    percent(share.high),
  );
  return (
    <svg className="flow" width={width} height={HEIGHT} role="img" aria-label={said}>
      {aim != null && (
        <g>
          <line x1={from} x2={to} y1={y(aim)} y2={y(aim)} stroke="var(--accent)" strokeDasharray="4 4" />
          <path d={`M${to} ${y(aim)} v-13 l11 4.5 l-11 4.5`} fill="var(--accent)" stroke="var(--accent)" />
          <text className="ax" x={to + 15} y={y(aim) - 4}>
            {percent(aim)}
          </text>
        </g>
      )}
      <polygon
        points={`${from},${y(start)} ${to},${y(share.high)} ${to},${y(share.low)}`}
        fill="var(--belt)"
      />
      <line
        x1={from}
        y1={y(start)}
        x2={to}
        y2={y(share.expected_share)}
        stroke="var(--ink)"
        strokeWidth={1.6}
      />
      {now != null && (
        <>
          <circle cx={from} cy={y(now)} r={4} fill="var(--paper)" stroke="var(--ink)" strokeWidth={1.4} />
          <text className="ax" x={from - 8} y={y(now) + 4} textAnchor="end">
            {percent(now)}
          </text>
        </>
      )}
      <circle cx={to} cy={y(share.expected_share)} r={4} fill="var(--ink)" />
      <text className="ax" x={to + 8} y={y(share.expected_share) + 4}>
        {percent(share.expected_share)}
      </text>
      <text className="ax" x={from} y={HEIGHT - 5} textAnchor="middle">
        {labels[0]}
      </text>
      <text className="ax" x={to} y={HEIGHT - 5} textAnchor="middle">
        {labels[1]}
      </text>
    </svg>
  );
}
