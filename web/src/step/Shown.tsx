/** What a step shows while it waits, when it fails, and what its notes say. */
import type { UseQueryResult } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { How } from "./How";

export function Shown<T>({
  query,
  children,
}: {
  query: UseQueryResult<T, Error>;
  children: (data: T) => ReactNode;
}) {
  if (query.data !== undefined) {
    return (
      <>
        {query.isError && (
          <p className="fault" role="alert">
            {query.error.message} What stands below is from before.{" "}
            <button type="button" className="word" onClick={() => query.refetch()}>
              Try again
            </button>
          </p>
        )}
        {/* While a new choice is worked out, what stands here belongs to the one before. */}
        <div className={query.isPlaceholderData ? "stale" : undefined} aria-busy={query.isPlaceholderData}>
          {children(query.data)}
        </div>
      </>
    );
  }
  if (query.isError) {
    return (
      <div className="empty">
        <h1>That did not work</h1>
        <p role="alert">{query.error.message}</p>
        <button type="button" className="plain" onClick={() => query.refetch()}>
          Try again
        </button>
      </div>
    );
  }
  return (
    <p className="quiet" role="status">
      Working it out …
    </p>
  );
}

export function Notes({ notes }: { notes: string[] }) {
  if (!notes.length) return null;
  return (
    <details className="notes">
      <summary>{notes.length === 1 ? "1 note" : `${notes.length} notes`} on how this was worked out</summary>
      <ul>
        {notes.map((note) => (
          <li key={note}>{note}</li>
        ))}
      </ul>
      <p>
        <How of="headlines">How every figure is worked out</How>
      </p>
    </details>
  );
}
