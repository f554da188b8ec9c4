/** Places for names at their distance from the line: none lies on another. */

export interface Placed {
  at: number;
  x: number;
  y: number;
}

/**
 * Cells of `width` x `height` in a column of `room` pixels: each value goes to the free cell nearest to its own
 * height. `top` and `bottom` bound the cells; what finds no cell is left out.
 */
export function placed(
  values: { at: number; y: number }[],
  room: number,
  cell: { width: number; height: number },
  top: number,
  bottom: number,
): Placed[] {
  const rows = Math.max(1, Math.floor((bottom - top) / cell.height));
  const across = Math.max(1, Math.floor(room / cell.width));
  const used = new Array<number>(rows).fill(0);
  const found: Placed[] = [];
  for (const { at, y } of [...values].sort((a, b) => a.y - b.y || a.at - b.at)) {
    const wanted = Math.min(rows - 1, Math.max(0, Math.round((y - top) / cell.height - 0.5)));
    for (let step = 0; step < rows; step++) {
      const row = [wanted + step, wanted - step].find(
        (one) => one >= 0 && one < rows && (used[one] ?? across) < across,
      );
      if (row === undefined) continue;
      found.push({ at, x: (used[row] ?? 0) * cell.width, y: top + (row + 0.5) * cell.height });
      used[row] = (used[row] ?? 0) + 1;
      break;
    }
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
