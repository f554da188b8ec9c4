/** A small flight of steps, as many filled as the band is high. */

import { marks as words } from "../words/around/marks";
import { tone } from "./ramp";

interface Props {
  order: number | null;
  bands: string[];
  named?: boolean;
}

export function BandMark({ order, bands, named = false }: Props) {
  if (!order || !bands.length) return null;
  const n = bands.length;
  const step = 4.6;
  const height = 13;
  const name = bands[order - 1] ?? "";
  return (
    <>
      <svg width={n * step + 1} height={height} role="img" aria-label={words.band(name)}>
        <title>{name}</title>
        {bands.map((band, at) => {
          const rise = ((at + 1) / n) * (height - 0.8);
          return (
            <rect
              key={band}
              x={0.4 + at * step}
              y={height - 0.3 - rise}
              width={3.8}
              height={rise}
              fill={at < order ? tone(order, n) : "none"}
              stroke={at < order ? "var(--band-outline)" : "var(--whisker)"}
              strokeWidth={0.7}
            />
          );
        })}
      </svg>
      {named && <span> {name}</span>}
    </>
  );
}
