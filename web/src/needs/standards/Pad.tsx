/** The keyboard pad: a cell a student and standard, one key each, saved as one goes, undone as one batch. */
import { type KeyboardEvent, memo, useCallback, useEffect, useRef, useState } from "react";
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
/** Entries are sent together once nothing was typed for so long, milliseconds. */
const RESTS = 600;
/** So long an entry waits at most, however fast one types, milliseconds. */
const LONGEST = 5000;

/** Keeps entries as they are typed: one request at a time, all of them one act. */
function useBatch(on: string, source: string) {
  const act = useAct("mastery");
  const waiting = useRef(new Map<string, Waiting>());
  const batch = useRef<number | null>(null);
  const timer = useRef<number>(undefined);
  const due = useRef(0);
  const sending = useRef<Promise<void> | null>(null);
  const [saved, setSaved] = useState(0);
  const count = useRef(0);
  const { run } = act;
  const send = useCallback(() => {
    const rest = async () => {
      while (waiting.current.size) {
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
      }
    };
    sending.current ??= rest().finally(() => {
      sending.current = null;
    });
    return sending.current;
  }, [run, on, source]);
  useEffect(
    () => () => {
      window.clearTimeout(timer.current);
      send();
    },
    [send],
  );
  const enter = (one: Waiting) => {
    const now = performance.now();
    if (!waiting.current.size) due.current = now + LONGEST;
    waiting.current.set(`${one.student_id} ${one.standard}`, one);
    window.clearTimeout(timer.current);
    timer.current = window.setTimeout(send, Math.min(RESTS, Math.max(0, due.current - now)));
  };
  /** Takes all of it back, also what is still on its way; tells whether it could. */
  const undo = async () => {
    window.clearTimeout(timer.current);
    const typed = [...waiting.current];
    waiting.current.clear();
    await sending.current;
    // A refused request has put its entries back.
    const unsent = [...waiting.current, ...typed];
    waiting.current.clear();
    if (batch.current !== null && !(await act.undo(batch.current))) {
      // All of it still stands on the screen, so none of it is lost.
      waiting.current = new Map([...unsent, ...waiting.current]);
      return false;
    }
    batch.current = null;
    count.current = 0;
    setSaved(0);
    return true;
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

/** One student's cells; drawn anew only where one of them, or the place of the keyboard, has changed. */
const Row = memo(function Row(props: {
  row: number;
  name: string;
  said: string;
  standards: Column[];
  cells: Record<string, Cell> | undefined;
  /** The column of the cell that takes keys, or -1. */
  here: number;
  onPlace: (row: number, column: number) => void;
  onKey: (event: KeyboardEvent) => void;
}) {
  const { row, onPlace } = props;
  return (
    <tr>
      <th scope="row">
        <Name name={props.name} />
      </th>
      {props.standards.map((column, place) => {
        const cell = props.cells?.[column.standard];
        return (
          <td key={column.standard}>
            <button
              type="button"
              className={css.pad}
              data-cell={`${row}-${place}`}
              tabIndex={place === props.here ? 0 : -1}
              aria-label={`${props.said}, ${column.standard}: ${cell?.state ?? words.none}${cell?.note ? `, ${cell.note}` : ""}`}
              title={cell?.note}
              onFocus={() => onPlace(row, place)}
              onClick={() => onPlace(row, place)}
              onKeyDown={props.onKey}
            >
              {cell?.state && <EvidenceMark state={CODES[cell.state]} />}
              {cell?.note && "·"}
            </button>
          </td>
        );
      })}
    </tr>
  );
});

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
  const [cells, setCells] = useState<Record<string, Record<string, Cell>>>({});
  const [at, setAt] = useState({ row: 0, column: 0 });
  const [noting, setNoting] = useState(false);
  const table = useRef<HTMLTableElement>(null);
  const cellOf = (row: number, column: number) =>
    cells[students[row]?.id ?? ""]?.[standards[column]?.standard ?? ""];
  const place = useCallback(
    (row: number, column: number) =>
      setAt((now) => (now.row === row && now.column === column ? now : { row, column })),
    [],
  );
  const go = (row: number, column: number) =>
    place(
      Math.max(0, Math.min(students.length - 1, row)),
      Math.max(0, Math.min(standards.length - 1, column)),
    );
  useEffect(() => {
    if (!noting) table.current?.querySelector<HTMLElement>(`[data-cell="${at.row}-${at.column}"]`)?.focus();
  }, [at, noting]);
  const set = (row: number, column: number, cell: Cell) => {
    const [student, standard] = [students[row], standards[column]];
    if (!student || !standard) return;
    setCells((now) => ({ ...now, [student.id]: { ...now[student.id], [standard.standard]: cell } }));
    batch.enter({ student_id: student.id, standard: standard.standard, ...cell });
  };
  /** The next cell down the column, then the top of the next one; and back. */
  const onward = (way: number) => {
    const next = at.column * students.length + at.row + way;
    if (next >= 0 && next < students.length * standards.length)
      go(next % students.length, Math.floor(next / students.length));
  };
  const onKey = (event: KeyboardEvent) => {
    const key = event.key.toLowerCase();
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (key === "arrowdown") go(at.row + 1, at.column);
    else if (key === "arrowup") go(at.row - 1, at.column);
    else if (key === "arrowright") go(at.row, at.column + 1);
    else if (key === "arrowleft") go(at.row, at.column - 1);
    else if (key === "enter") setNoting(Boolean(cellOf(at.row, at.column)?.state));
    else if (key === "-") {
      // Back to the cell before, and clear it.
      const before = Math.max(0, at.column * students.length + at.row - 1);
      const [row, column] = [before % students.length, Math.floor(before / students.length)];
      set(row, column, { state: null });
      go(row, column);
    } else if (key in KEYS) {
      const note = cellOf(at.row, at.column)?.note;
      set(at.row, at.column, { state: KEYS[key] ?? null, ...(note ? { note } : {}) });
      onward(1);
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  // Rows get the same function from render to render; it does what the last one drawn would.
  const lastDrawn = useRef(onKey);
  useEffect(() => {
    lastDrawn.current = onKey;
  });
  const keyed = useCallback((event: KeyboardEvent) => lastDrawn.current(event), []);
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
          disabled={!Object.keys(cells).length}
          onClick={async () => (await batch.undo()) && setCells({})}
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
              <Row
                key={one.id}
                row={row}
                name={one.name}
                said={said(one.name)}
                standards={standards}
                cells={cells[one.id]}
                here={row === at.row ? at.column : -1}
                onPlace={place}
                onKey={keyed}
              />
            ))}
          </tbody>
        </table>
      </div>
      {noting && student && standard && (
        <Note
          name={said(student.name)}
          standard={standard.standard}
          first={cellOf(at.row, at.column)?.note ?? ""}
          onClose={(note) => {
            setNoting(false);
            if (note !== null)
              set(at.row, at.column, { state: cellOf(at.row, at.column)?.state ?? null, note });
          }}
        />
      )}
    </>
  );
}
