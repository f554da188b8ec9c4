/** Pages of everybody in one go: how far the work is, stopping it, and fetching the file. */
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Refused, type Schemas } from "../api/client";
import { lines } from "../api/lines";
import { Name } from "../people/Hiding";
import type { Scope } from "../scope/scope";
import { Fault } from "../step/Fault";
import { share as words } from "../words/steps/share";
import { type PagesAsked, questionText } from "./pages";
import css from "./share.module.css";

type Line = Schemas["MakingLine"];

export function Making({ scope, pages, n }: { scope: Scope; pages: PagesAsked; n: number }) {
  const cache = useQueryClient();
  const [line, setLine] = useState<Line | null>(null);
  const [fault, setFault] = useState<string | null>(null);
  const stop = useRef<AbortController | null>(null);
  const [busy, setBusy] = useState(false);
  const make = async (form: "zip" | "printer") => {
    const abort = new AbortController();
    stop.current = abort;
    setBusy(true);
    setFault(null);
    setLine(null);
    try {
      await lines<Line>(`/api/share/files?${questionText(scope, pages)}`, { form }, setLine, abort.signal);
      await cache.invalidateQueries({ queryKey: ["share", "log"] });
      await cache.invalidateQueries({ queryKey: ["rail"] });
    } catch (error) {
      setLine(null);
      if (abort.signal.aborted) setFault(words.stopped);
      else setFault(error instanceof Refused ? error.message : String(error));
    } finally {
      setBusy(false);
    }
  };
  return (
    <section className={css.making}>
      <p className="buttons">
        <button
          type="button"
          className="act"
          disabled={busy || !n}
          title={words.makeHint}
          onClick={() => make("zip")}
        >
          {words.make(n)}
        </button>
        <button
          type="button"
          className="plain"
          disabled={busy || !n}
          title={words.printerHint}
          onClick={() => make("printer")}
        >
          {words.printer}
        </button>
      </p>
      <div role="status" aria-live="polite">
        {busy && (
          <p>
            <progress max={line?.all || 1} value={line?.done ?? 0} aria-label={words.make(n)} />{" "}
            {words.making(line?.done ?? 0, line?.all ?? n)}{" "}
            <button type="button" className="word" onClick={() => stop.current?.abort()}>
              {words.stop}
            </button>
          </p>
        )}
        {!busy && line?.key && (
          <p>
            {words.ready(line.all)}{" "}
            <a className={css.fetch} href={`/api/share/files/${line.key}`} download>
              {words.fetch}
            </a>
          </p>
        )}
      </div>
      <Fault said={fault ?? line?.fault ?? undefined} />
      {!busy && line && line.letters.length > 0 && (
        <p className="quiet">{words.letters(line.letters.join(", "))}</p>
      )}
    </section>
  );
}

/** Who has nothing to print, and why. */
export function WithoutPages({ rows }: { rows: Schemas["StudentWithoutPages"][] }) {
  if (!rows.length) return null;
  return (
    <details className="small">
      <summary>{words.without(rows.length)}</summary>
      <ul>
        {rows.map((one) => (
          <li key={one.student_id}>
            <Name name={one.name} /> <span className="quiet">{one.why}</span>
          </li>
        ))}
      </ul>
    </details>
  );
}
