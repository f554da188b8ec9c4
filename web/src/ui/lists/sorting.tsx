/** Sorting of tables: a click on a header turns the order; rows without a value come last either way. */
import { useState } from "react";

export interface Sorting<K extends string> {
  key: K;
  down: boolean;
}

export function sorted<T, K extends string>(
  rows: T[],
  by: Sorting<K>,
  value: (row: T, key: K) => number | string | null | undefined,
): T[] {
  const sign = by.down ? -1 : 1;
  return [...rows].sort((a, b) => {
    const x = value(a, by.key);
    const y = value(b, by.key);
    if (x == null || y == null) return Number(x == null) - Number(y == null);
    if (typeof x === "string" && typeof y === "string")
      return sign * x.localeCompare(y, "en", { numeric: true });
    return sign * (Number(x) - Number(y));
  });
}

export function useSorting<K extends string>(first: Sorting<K>) {
  const [by, setBy] = useState(first);
  return { by, header: headerOf(by, setBy) };
}

/** Headers that sort by their column, for an order that is kept elsewhere. */
export function headerOf<K extends string>(by: Sorting<K>, setBy: (by: Sorting<K>) => void) {
  const header = (key: K, label: string, attributes: { num?: boolean; title?: string } = {}) => {
    const on = by.key === key;
    return (
      <th
        className={attributes.num ? "num" : undefined}
        aria-sort={on ? (by.down ? "descending" : "ascending") : "none"}
        title={attributes.title}
      >
        <button type="button" onClick={() => setBy({ key, down: on ? !by.down : false })}>
          {label}
          {on ? (by.down ? " ↓" : " ↑") : ""}
        </button>
      </th>
    );
  };
  return header;
}
