/** What a step shows while it waits, when it fails, and what its notes say. */
import type { UseQueryResult } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { step as words } from "../words/around/step";
import { How } from "./How";

/** In grey while a new choice is worked out: what stands here belongs to the one before. */
export function Before({ query, children }: { query: { isPlaceholderData: boolean }; children: ReactNode }) {
  return (
    <div className={query.isPlaceholderData ? "stale" : undefined} aria-busy={query.isPlaceholderData}>
      {children}
    </div>
  );
}

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
            {query.error.message} {words.whatStandsBelowIsFrom}{" "}
            <button type="button" className="word" onClick={() => query.refetch()}>
              {words.tryAgain}
            </button>
          </p>
        )}
        <Before query={query}>{children(query.data)}</Before>
      </>
    );
  }
  if (query.isError) {
    return (
      <div className="empty">
        <h1>{words.thatDidNotWork}</h1>
        <p role="alert">{query.error.message}</p>
        <button type="button" className="plain" onClick={() => query.refetch()}>
          {words.tryAgain}
        </button>
      </div>
    );
  }
  return (
    <p className="quiet" role="status">
      {words.workingItOut}
    </p>
  );
}

export function Notes({ notes }: { notes: string[] }) {
  if (!notes.length) return null;
  return (
    <details className="notes">
      <summary>
        {notes.length === 1 ? "1 note" : words.notes(notes.length)} {words.onHowThisWasWorked}
      </summary>
      <ul>
        {notes.map((note) => (
          <li key={note}>{note}</li>
        ))}
      </ul>
      <p>
        <How of="headlines">{words.howEveryFigureIsWorked}</How>
      </p>
    </details>
  );
}
