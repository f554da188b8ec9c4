/** A straight line from one range of numbers to another. */

export type Linear = (value: number) => number;

export function linear(domain: [number, number], range: [number, number]): Linear {
  const span = domain[1] - domain[0] || 1;
  return (value) => range[0] + ((value - domain[0]) / span) * (range[1] - range[0]);
}

/** The score scale that all lanes of a list share: from the lowest to the highest, whiskers included. */
export function lanesDomain(
  rows: {
    from_score?: number | null;
    to_score?: number | null;
    to_error?: number | null;
    from_error?: number | null;
    expected_high?: number | null;
    goal?: number | null;
  }[],
): [number, number] {
  let low = Number.POSITIVE_INFINITY;
  let high = Number.NEGATIVE_INFINITY;
  for (const row of rows) {
    for (const [value, error] of [
      [row.from_score, row.to_score == null ? row.from_error : 0],
      [row.to_score, row.to_error],
      [row.expected_high, 0],
      [row.goal, 0],
    ]) {
      if (value == null) continue;
      low = Math.min(low, value - (error ?? 0));
      high = Math.max(high, value + (error ?? 0));
    }
  }
  if (low > high) return [0, 1];
  const room = Math.max((high - low) * 0.02, 1);
  return [low - room, high + room];
}

/** Round numbers inside a domain, about so many. */
export function ticks(domain: [number, number], about: number): number[] {
  const raw = (domain[1] - domain[0]) / about;
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((k) => k * power).find((s) => s >= raw) ?? raw;
  const found: number[] = [];
  for (let at = Math.ceil(domain[0] / step) * step; at <= domain[1]; at += step) found.push(at);
  return found;
}
