/** The keyboard pad: a cell a student and standard, one key each, saved as one goes, undone as one batch. */
import { type KeyboardEvent, useCallback, useEffect, useRef, useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { EvidenceMark } from "../../marks/EvidenceMark";
import { Name, useSaid } from "../../people/Hiding";
import { useAct } from "../../step/useAct";
import { Dialog } from "../../ui/Dialog";
import { FormEnd } from "../../ui/FormEnd";
import { needs as words } from "../../words/steps/needs";
import css from "./standards.module.css";

export interface PadStudent {
  id: string;
  name: string;
}
type Column = Schemas["StandardColumn"];
type State = "mastered" | "nearly" | "not yet";
interface Cell {
  state: State | null;
  note?: string;
}
interface Waiting extends Cell {
  student_id: string;
  standard: string;
}

const KEYS: Record<string, State | null> = { m: "mastered", n: "nearly", x: "not yet", "-": null };
const CODES: Record<State, number> = { mastered: 0, nearly: 1, "not yet": 2 };
/** Entries are sent together once nothing was typed for so long. */
const RESTS = 600;

/** Keeps entries as they are typed: one request at a time, all of them one act. */
function useBatch(on: string, source: string) {
  const act = useAct("mastery");
  const waiting = useRef(new Map<string, Waiting>());
  const batch = useRef<number | null>(null);
  const timer = useRef<number>(undefined);
  const sending = useRef(false);
  const [saved, setSaved] = useState(0);
  const count = useRef(0);
  const { run } = act;
  const send = useCallback(async () => {
    if (sending.current || !waiting.current.size) return;
    sending.current = true;
    const entries = [...waiting.current.values()];
    waiting.current.clear();
    const done = await run(
      () =>
        got(
          client.POST("/api/needs/entries", {
            body: { on, source, entries, act: batch.current, in_all: count.current + entries.length },
          }),
        ),
      (answer) => ({ said: answer.said, act: answer.id }),
    );
    sending.current = false;
    if (!done) {
      // Nothing is lost: what could not be kept waits for the next try.
      for (const one of entries) {
        const key = `${one.student_id} ${one.standard}`;
        if (!waiting.current.has(key)) waiting.current.set(key, one);
      }
      return;
    }
    batch.current = done.id;
    count.current += entries.length;
    setSaved(count.current);
    if (waiting.current.size) send();
  }, [run, on, source]);
  useEffect(
    () => () => {
      window.clearTimeout(timer.current);
      send();
    },
    [send],
  );
  const enter = (one: Waiting) => {
    waiting.current.set(`${one.student_id} ${one.standard}`, one);
    window.clearTimeout(timer.current);
    timer.current = window.setTimeout(send, RESTS);
  };
  const undo = async () => {
    window.clearTimeout(timer.current);
    await send();
    if (batch.current !== null) await act.undo(batch.current);
    batch.current = null;
    count.current = 0;
    setSaved(0);
  };
  return { enter, undo, saved, busy: act.busy, fault: act.fault, send };
}

function Note(props: {
  name: string;
  standard: string;
  first: string;
  onClose: (note: string | null) => void;
}) {
  const [text, setText] = useState(props.first);
  return (
    <Dialog title={words.noteFor(props.name, props.standard)} onClose={() => props.onClose(null)}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          props.onClose(text);
        }}
      >
        <label className="field">
          <span>{words.note}</span>
          <input value={text} maxLength={255} onChange={(event) => setText(event.target.value)} />
        </label>
        <FormEnd fault="" onClose={() => props.onClose(null)} act={words.keep} />
      </form>
    </Dialog>
  );
}

export function Pad(props: {
  students: PadStudent[];
  standards: Column[];
  on: string;
  source: string;
  onDone: () => void;
}) {
  const { students, standards } = props;
  const batch = useBatch(props.on, props.source);
  const said = useSaid();
  const [cells, setCells] = useState<Record<string, Cell>>({});
  const [at, setAt] = useState({ row: 0, column: 0 });
  const [noting, setNoting] = useState(false);
  const table = useRef<HTMLTableElement>(null);
  const keyOf = (row: number, column: number) => `${students[row]?.id} ${standards[column]?.standard}`;
  const go = (row: number, column: number) =>
    setAt({
      row: Math.max(0, Math.min(students.length - 1, row)),
      column: Math.max(0, Math.min(standards.length - 1, column)),
    });
  useEffect(() => {
    if (!noting) table.current?.querySelector<HTMLElement>(`[data-cell="${at.row}-${at.column}"]`)?.focus();
  }, [at, noting]);
  const set = (row: number, column: number, cell: Cell) => {
    const [student, standard] = [students[row], standards[column]];
    if (!student || !standard) return;
    setCells((now) => ({ ...now, [keyOf(row, column)]: cell }));
    batch.enter({ student_id: student.id, standard: standard.standard, ...cell });
  };
  /** The next cell down the column, then the top of the next one; and back. */
  const onward = (way: number) => {
    const place = at.column * students.length + at.row + way;
    if (place >= 0 && place < students.length * standards.length)
      go(place % students.length, Math.floor(place / students.length));
  };
  const onKey = (event: KeyboardEvent) => {
    const key = event.key.toLowerCase();
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (key === "arrowdown") go(at.row + 1, at.column);
    else if (key === "arrowup") go(at.row - 1, at.column);
    else if (key === "arrowright") go(at.row, at.column + 1);
    else if (key === "arrowleft") go(at.row, at.column - 1);
    else if (key === "enter") setNoting(Boolean(cells[keyOf(at.row, at.column)]?.state));
    else if (key === "-") {
      // Back to the cell before, and clear it.
      const place = Math.max(0, at.column * students.length + at.row - 1);
      const [row, column] = [place % students.length, Math.floor(place / students.length)];
      set(row, column, { state: null });
      go(row, column);
    } else if (key in KEYS) {
      const note = cells[keyOf(at.row, at.column)]?.note;
      set(at.row, at.column, { state: KEYS[key] ?? null, ...(note ? { note } : {}) });
      onward(1);
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  const student = students[at.row];
  const standard = standards[at.column];
  return (
    <>
      <h1>{words.pad}</h1>
      <p className="lead">{words.padKeys}</p>
      <p role="status" aria-live="polite" className="u-in-row">
        <span>{batch.busy ? words.saving : words.saved(batch.saved)}</span>
        <button
          type="button"
          className="word"
          disabled={!batch.saved}
          onClick={() => batch.undo().then(() => setCells({}))}
        >
          {words.undoBatch}
        </button>
        <button type="button" className="plain" onClick={props.onDone}>
          {words.done}
        </button>
      </p>
      {batch.fault && (
        <p className="fault" role="alert">
          {batch.fault.message}{" "}
          <button type="button" className="word" onClick={batch.send}>
            {words.keep}
          </button>
        </p>
      )}
      <div className={css.grid}>
        <table ref={table}>
          <thead>
            <tr>
              <th>
                <span className="unseen">{words.student}</span>
              </th>
              {standards.map((column) => (
                <th key={column.standard} title={column.text}>
                  {column.standard}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {students.map((one, row) => (
              <tr key={one.id}>
                <th scope="row">
                  <Name name={one.name} />
                </th>
                {standards.map((column, place) => {
                  const cell = cells[keyOf(row, place)];
                  const here = row === at.row && place === at.column;
                  return (
                    <td key={column.standard}>
                      <button
                        type="button"
                        className={css.pad}
                        data-cell={`${row}-${place}`}
                        tabIndex={here ? 0 : -1}
                        aria-label={`${said(one.name)}, ${column.standard}: ${cell?.state ?? words.none}${cell?.note ? `, ${cell.note}` : ""}`}
                        title={cell?.note}
                        onFocus={() => setAt({ row, column: place })}
                        onClick={() => setAt({ row, column: place })}
                        onKeyDown={onKey}
                      >
                        {cell?.state && <EvidenceMark state={CODES[cell.state]} />}
                        {cell?.note && "·"}
                      </button>
                    </td>
                  );
                })}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      {noting && student && standard && (
        <Note
          name={said(student.name)}
          standard={standard.standard}
          first={cells[keyOf(at.row, at.column)]?.note ?? ""}
          onClose={(note) => {
            setNoting(false);
            if (note !== null)
              set(at.row, at.column, { state: cells[keyOf(at.row, at.column)]?.state ?? null, note });
          }}
        />
      )}
    </>
  );
}
