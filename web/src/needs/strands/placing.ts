/** Places for names at their distance from the line: none lies on another. */

export interface Placed {
  at: number;
  x: number;
  y: number;
}

/**
 * Cells of `width` x `height` in a column of `room` pixels, from `top` to `bottom`: each value gets one near its own
 * height, in the order of the heights, so that nobody stands above who belongs below. Null where somebody would stand
 * further than `most` pixels from the own height, or there is no room at all.
 */
export function placed(
  values: { at: number; y: number }[],
  room: number,
  cell: { width: number; height: number },
  top: number,
  bottom: number,
  most: number,
): Placed[] | null {
  const rows = Math.floor((bottom - top) / cell.height);
  const across = Math.floor(room / cell.width);
  const n = values.length;
  if (rows * across < n) return null;
  const sorted = [...values].sort((a, b) => a.y - b.y || a.at - b.at);
  const wanted = sorted.map(({ y }) => Math.min(rows - 1, Math.max(0, Math.floor((y - top) / cell.height))));
  // Pushed down from the top, and up from the foot: halfway between the two nobody moves further than needed.
  const down: number[] = [];
  const up: number[] = new Array(n);
  for (let i = 0; i < n; i++) {
    const above = i >= across ? (down[i - across] ?? 0) + 1 : 0;
    down[i] = Math.max(wanted[i] ?? 0, above);
  }
  for (let i = n - 1; i >= 0; i--) {
    const below = i + across < n ? (up[i + across] ?? 0) - 1 : rows - 1;
    up[i] = Math.min(wanted[i] ?? 0, below);
    down[i] = Math.min(down[i] ?? 0, rows - 1 - Math.floor((n - 1 - i) / across));
  }
  const used = new Map<number, number>();
  const found: Placed[] = [];
  for (let i = 0; i < n; i++) {
    const row = Math.floor(((down[i] ?? 0) + Math.max(up[i] ?? 0, Math.floor(i / across))) / 2);
    const y = top + (row + 0.5) * cell.height;
    const one = sorted[i];
    if (!one || Math.abs(y - Math.min(bottom, Math.max(top, one.y))) > most) return null;
    found.push({ at: one.at, x: (used.get(row) ?? 0) * cell.width, y });
    used.set(row, (used.get(row) ?? 0) + 1);
  }
  return found;
}

/** How many values of a sorted list lie below a limit. */
export function countBelow(sorted: Float64Array, limit: number): number {
  let low = 0;
  let high = sorted.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((sorted[middle] ?? 0) < limit) low = middle + 1;
    else high = middle;
  }
  return low;
}

/** The initials of a name, where there is no room for more. */
export function initials(name: string): string {
  const parts = name.split(/\s+/);
  return `${parts[0]?.charAt(0) ?? ""}${parts.length > 1 ? (parts.at(-1)?.charAt(0) ?? "") : ""}`;
}

/** Given name and the first letter of the family name. */
export function shortName(name: string): string {
  const parts = name.split(/\s+/);
  return parts.length > 1 ? `${parts[0]} ${parts.at(-1)?.charAt(0)}.` : name;
}
