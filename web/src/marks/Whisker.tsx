/** A unit beside the whole: a dot with its whisker, the whole as a fine line; only what is beyond chance is filled. */
import type { Schemas } from "../api/client";
import { linear } from "./scale";

export type UnitFigure = Schemas["UnitFigure"];

interface Props {
  figure: UnitFigure | null | undefined;
  whole: number | null | undefined;
  domain: [number, number];
  width: number;
  label: string;
}

const HEIGHT = 18;

/** Where the dot stands: a figure that could be chance is drawn toward the whole. */
function dot(figure: UnitFigure): number {
  return figure.different ? figure.raw : figure.estimate;
}

/** What lists are sorted by: a small unit stands where its size lets it be believed, ties by its own figure. */
export function believable(figure: UnitFigure): number {
  return figure.estimate + figure.raw * 1e-6;
}

/** A scale on which the units' dots lie apart; whiskers of the smallest run out of it. */
export function whiskerDomain(
  figures: (UnitFigure | null | undefined)[],
  whole: number | null | undefined,
): [number, number] {
  const known = figures.filter((one) => one != null);
  const middle = whole ?? 0;
  const halves = known.map((one) => (one.high != null && one.low != null ? (one.high - one.low) / 2 : 0));
  const usual = halves.sort((a, b) => a - b)[Math.floor(halves.length / 2)] ?? 0;
  const far = Math.max(...known.map((one) => Math.abs(dot(one) - middle)), 0);
  return around(middle, far + usual);
}

/** A scale with some room beyond what it must hold on both sides of the middle. */
export function around(middle: number, reach: number): [number, number] {
  const far = reach * 1.15 || 1;
  return [middle - far, middle + far];
}

export function Whisker({ figure, whole, domain, width, label }: Props) {
  if (!figure) return <span className="quiet">–</span>;
  const x = linear(domain, [5, width - 5]);
  const held = (value: number) => x(Math.min(domain[1], Math.max(domain[0], value)));
  const y = HEIGHT / 2;
  return (
    <svg className="whisker" width={width} height={HEIGHT} role="img" aria-label={label}>
      {whole != null && (
        <line x1={x(whole)} x2={x(whole)} y1={0} y2={HEIGHT} stroke="var(--quiet)" strokeWidth={1} />
      )}
      {figure.low != null && figure.high != null && (
        <line
          x1={held(figure.low)}
          x2={held(figure.high)}
          y1={y}
          y2={y}
          stroke="var(--ink)"
          strokeWidth={figure.different ? 1.6 : 1}
          strokeOpacity={figure.different ? 1 : 0.45}
        />
      )}
      <circle
        cx={held(dot(figure))}
        cy={y}
        r={figure.different ? 4.2 : 3.2}
        fill={figure.different ? "var(--accent)" : "var(--paper)"}
        stroke={figure.different ? "var(--accent)" : "var(--ink)"}
        strokeWidth={1.2}
      />
    </svg>
  );
}
