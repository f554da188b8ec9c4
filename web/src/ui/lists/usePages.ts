/** Rows of a long list, asked for page by page as they come into view. */
import { useQueries } from "@tanstack/react-query";

/** The row at a place, or nothing while its page is on its way. */
export type RowAt<Row> = (place: number) => Row | undefined;

export function usePages<Row>(props: {
  /** What the rows depend on; the page is added to it. */
  about: readonly unknown[];
  size: number;
  /** First and last place in view. */
  first: number;
  last: number;
  fetch: (start: number) => Promise<Row[]>;
  /** The first page, where it came with something else. */
  ahead?: Row[];
}): RowAt<Row> {
  const { about, size, first, last, fetch, ahead } = props;
  const from = Math.floor(Math.max(0, first) / size);
  const pages = Array.from({ length: Math.max(0, Math.floor(last / size) - from) + 1 }, (_, at) => from + at);
  const found = useQueries({
    queries: pages.map((page) => ({
      queryKey: [...about, "page", page],
      queryFn: () => fetch(page * size),
      staleTime: 30_000,
      ...(page === 0 && ahead ? { initialData: ahead } : {}),
    })),
  });
  return (place) => found[Math.floor(place / size) - from]?.data?.[place % size];
}
