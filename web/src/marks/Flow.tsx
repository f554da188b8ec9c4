/** Flow: ribbons between two windows' columns; up-movers over an upward hatch, down-movers over a downward one. */
import type { KeyboardEvent } from "react";
import type { Schemas } from "../api/client";
import { marks as words } from "../words/around/marks";
import { many, percent, students } from "../words/format";
import { tone } from "./ramp";

export type Flown = { side: "from" | "to"; band: number } | { from_band: number; to_band: number };

interface Props {
  bands: Schemas["BandRow"][];
  movement: Schemas["MovementPart"];
  labels: [string, string];
  width: number;
  height: number;
  /** One window alone: its column stands by itself. */
  single?: boolean;
  onOpen: (what: Flown) => void;
}

interface Slot {
  y: number;
  height: number;
}

const GAP = 5;
const COLUMN = 26;
/** A column's own text stands beside it. */
const MARGIN = 128;

/** Where each band stands in a column, the lowest at the foot. */
function slots(shares: number[], height: number): Slot[] {
  // A band that nobody is in takes no room, not even a gap.
  const room = height - GAP * Math.max(0, shares.filter((share) => share > 0).length - 1);
  const found: Slot[] = [];
  let foot = height;
  for (const share of shares) {
    const size = share * room;
    found.push({ y: foot - size, height: size });
    if (share > 0) foot -= size + GAP;
  }
  return found;
}

function pressed(act: () => void) {
  return (event: KeyboardEvent) => {
    if (event.key === "Enter" || event.key === " ") {
      event.preventDefault();
      act();
    }
  };
}

export function Flow({ bands, movement, labels, width, height, single = false, onOpen }: Props) {
  const top = 22;
  const n = bands.length;
  const left = slots(
    bands.map((row) => row.from_share ?? 0),
    height - top,
  );
  const right = slots(
    bands.map((row) => row.to_share ?? 0),
    height - top,
  );
  const x0 = MARGIN + COLUMN;
  const x1 = single ? MARGIN : width - MARGIN - COLUMN;
  const table = single ? [] : (movement.table ?? []);
  const moved = table.flat().reduce((sum, cell) => sum + cell, 0) || 1;
  const inRows = table.map((row) => row.reduce((sum, cell) => sum + cell, 0) || 1);
  const inColumns = bands.map((_, j) => table.reduce((sum, row) => sum + (row[j] ?? 0), 0) || 1);
  const usedLeft = left.map((slot) => slot.y + slot.height);
  const usedRight = right.map((slot) => slot.y + slot.height);
  const ribbons = [];
  for (let i = 0; i < n; i++) {
    for (let j = 0; j < n; j++) {
      const cell = table[i]?.[j] ?? 0;
      const a = left[i];
      const b = right[j];
      if (!cell || !a || !b) continue;
      const ha = (a.height * cell) / (inRows[i] ?? 1);
      const hb = (b.height * cell) / (inColumns[j] ?? 1);
      const ya = (usedLeft[i] ?? 0) - ha;
      const yb = (usedRight[j] ?? 0) - hb;
      usedLeft[i] = ya;
      usedRight[j] = yb;
      const mid = (x0 + x1) / 2;
      const d = `M${x0},${ya + top} C${mid},${ya + top} ${mid},${yb + top} ${x1},${yb + top} V${yb + hb + top} C${mid},${yb + hb + top} ${mid},${ya + ha + top} ${x0},${ya + ha + top} Z`;
      ribbons.push({ i, j, cell, d, kind: j > i ? "up" : j < i ? "down" : "same" });
    }
  }
  // Those who stay lie below, those who move are drawn over them.
  ribbons.sort((a, b) => Number(a.kind !== "same") - Number(b.kind !== "same"));
  const column = (side: "from" | "to", at: number) => {
    const row = bands[at];
    const slot = (side === "from" ? left : right)[at];
    if (!row || !slot || slot.height <= 0) return null;
    const count = side === "from" ? row.from_n : row.to_n;
    const share = side === "from" ? row.from_share : row.to_share;
    const x = side === "from" ? MARGIN : x1;
    const open = () => onOpen({ side, band: at + 1 });
    const text = side === "from" ? MARGIN - 8 : x1 + COLUMN + 8;
    const anchor = side === "from" ? "end" : "start";
    const middle = top + slot.y + slot.height / 2;
    return (
      <g key={`${side}${at}`}>
        {/* biome-ignore lint/a11y/useSemanticElements: a button element cannot stand inside a drawing */}
        <g
          role="button"
          tabIndex={0}
          aria-label={words.inWord(
            row.band,
            side === "from" ? labels[0] : labels[1],
            percent(share),
            students(count ?? 0),
          )}
          onClick={open}
          onKeyDown={pressed(open)}
        >
          {/* The label beside the column belongs to what can be clicked. */}
          <rect
            x={side === "from" ? 0 : x1 + COLUMN}
            y={top + slot.y}
            width={MARGIN}
            height={slot.height}
            fill="none"
            stroke="none"
            pointerEvents="all"
          />
          <rect
            x={x}
            y={top + slot.y}
            width={COLUMN}
            height={Math.max(slot.height, 1)}
            fill={tone(at + 1, n)}
            stroke="var(--band-outline)"
            strokeWidth={0.8}
          />
        </g>
        <g aria-hidden pointerEvents="none">
          {slot.height > 30 ? (
            <>
              <text x={text} y={middle - 2} textAnchor={anchor}>
                {row.band}
              </text>
              <text x={text} y={middle + 13} textAnchor={anchor} className="mute">
                {percent(share)} · {many(count)}
              </text>
            </>
          ) : (
            slot.height > 0 && (
              <text x={text} y={middle + 4} textAnchor={anchor}>
                {row.band}{" "}
                <tspan className="mute">
                  {percent(share)} · {many(count)}
                </tspan>
              </text>
            )
          )}
        </g>
      </g>
    );
  };
  return (
    // biome-ignore lint/a11y/useSemanticElements: a drawing whose parts are buttons is a group
    <svg
      className="flow"
      width={width}
      height={height}
      role="group"
      aria-label={words.movementBetweenTheBands}
    >
      <defs>
        <pattern
          id="hatch-up"
          width="6"
          height="6"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(-45)"
        >
          <line x1="0" y1="0" x2="6" y2="0" stroke="var(--hatch)" strokeWidth="1.1" opacity=".55" />
        </pattern>
        <pattern
          id="hatch-down"
          width="6"
          height="6"
          patternUnits="userSpaceOnUse"
          patternTransform="rotate(45)"
        >
          <line
            x1="0"
            y1="0"
            x2="6"
            y2="0"
            stroke="var(--hatch)"
            strokeWidth="1.1"
            strokeDasharray="3 3"
            opacity=".75"
          />
        </pattern>
      </defs>
      {!single && (
        <text x={MARGIN + COLUMN} y={13} textAnchor="end" className="u-strong">
          {labels[0]}
        </text>
      )}
      <text x={x1} y={13} className="u-strong">
        {labels[1]}
      </text>
      {ribbons.map(({ i, j, cell, d, kind }) => {
        const open = () => onOpen({ from_band: i + 1, to_band: j + 1 });
        const name = words.fromToOfThoseWith(
          bands[i]?.band,
          bands[j]?.band,
          students(cell),
          percent(cell / moved),
        );
        return (
          // biome-ignore lint/a11y/useSemanticElements: a button element cannot stand inside a drawing
          <g
            key={`${i}-${j}`}
            role="button"
            tabIndex={0}
            aria-label={name}
            onClick={open}
            onKeyDown={pressed(open)}
          >
            <title>{name}</title>
            <path d={d} fill={tone(i + 1, n)} opacity={kind === "same" ? 0.32 : 0.6} />
            {kind !== "same" && <path d={d} fill={`url(#hatch-${kind})`} />}
          </g>
        );
      })}
      {!single && bands.map((_, at) => column("from", at))}
      {bands.map((_, at) => column("to", at))}
    </svg>
  );
}
