/** The board: a column a group, the students in none first; cards moved by dragging or by keys. */

import {
  DndContext,
  DragOverlay,
  type Modifier,
  PointerSensor,
  pointerWithin,
  useDndContext,
  useDraggable,
  useDroppable,
  useSensor,
  useSensors,
} from "@dnd-kit/core";
import { type KeyboardEvent, memo, useRef, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { BandMark } from "../marks/BandMark";
import { usePanel } from "../panel/PanelContext";
import { Name, useSaid } from "../people/Hiding";
import { usePins } from "../pins/PinContext";
import { Done } from "../step/Done";
import { useAct } from "../step/useAct";
import { useGrowing } from "../ui/lists/useGrowing";
import { many, rank, score } from "../words/format";
import { groups as words } from "../words/steps/groups";
import css from "./board.module.css";

type Answer = Schemas["BoardAnswer"];
type Card = Schemas["BoardCard"];
type Column = Schemas["BoardColumn"];

/** Cards that a column shows; nobody places more at once. */
const SHOWN = 150;
/** Columns that are drawn in one go. */
const COLUMNS = 12;

/** A place on the board: a student in a column; no column is the first one. */
interface Place {
  student: string;
  column: number | null;
}

const keyOf = (place: Place) => `${place.column ?? "free"}|${place.student}`;

/** What a card says; drawn anew only where that changes, not at every step of a drag. */
const CardBody = memo(function CardBody(props: { card: Card; reason: string | undefined; bands: string[] }) {
  const { card, reason } = props;
  return (
    <>
      <Name name={card.name} />
      <small>
        {card.section} {card.score != null && score(card.score)}{" "}
        {card.order != null && <BandMark order={card.order} bands={props.bands} />}{" "}
        {card.percentile != null && words.percentile(rank(card.percentile))}
      </small>
      {card.need && <small>{card.need}</small>}
      {reason && <small className={css.reason}>{words.reason(reason)}</small>}
    </>
  );
});

/** The card that an event is about; columns listen for their cards, so that a big board stays quick. */
function placeAt(target: EventTarget | null): Place | null {
  const node = target instanceof Element ? target.closest<HTMLElement>("[data-place]") : null;
  const [column, student] = node?.dataset.place?.split("|") ?? [];
  if (column === undefined || student === undefined) return null;
  return { student, column: column === "free" ? null : Number(column) };
}

/** The card under the pointer instead of its column's corner. */
const toPointer: Modifier = ({ activatorEvent, draggingNodeRect, transform }) =>
  activatorEvent instanceof PointerEvent && draggingNodeRect
    ? {
        ...transform,
        x: transform.x + activatorEvent.clientX - draggingNodeRect.left - 20,
        y: transform.y + activatorEvent.clientY - draggingNodeRect.top - 12,
      }
    : transform;

/** The card under the pointer while it is dragged. */
function Dragged({ cards }: { cards: Map<string, Card> }) {
  const { active, activatorEvent } = useDndContext();
  const place = active && activatorEvent && placeAt(activatorEvent.target);
  const card = place && cards.get(place.student);
  return (
    <DragOverlay modifiers={[toPointer]} dropAnimation={null} className={css.overlay ?? ""}>
      {card && (
        <div className={css.card}>
          <Name name={card.name} />
        </div>
      )}
    </DragOverlay>
  );
}

interface CardProps {
  card: Card;
  column: number | null;
  /** Why the student is in this group, where that was kept. */
  reason: string | undefined;
  bands: string[];
}

const CardButton = memo(function CardButton(props: CardProps) {
  const { card, column } = props;
  const { openStudent } = usePanel();
  const { has } = usePins();
  const said = useSaid();
  const told = words.card(
    said(card.name),
    card.section ?? "",
    card.score == null ? "" : score(card.score),
    card.need ?? "",
  );
  return (
    <li>
      <button
        type="button"
        className={`${css.card} ${has(card.student_id) ? css.pinned : ""}`}
        data-place={keyOf({ student: card.student_id, column })}
        title={[told, props.reason && words.reason(props.reason)].filter(Boolean).join(", ")}
        onClick={() => openStudent({ id: card.student_id, name: card.name })}
      >
        <CardBody card={card} reason={props.reason} bands={props.bands} />
      </button>
    </li>
  );
});

/** How many are in a group, against its bounds. */
function Size({ column }: { column: Column }) {
  const n = column.members.length;
  const { fewest, most } = column;
  const off = (most != null && n > most) || (fewest != null && n < fewest);
  return (
    <p>
      {most == null ? words.size(many(n)) : words.sizeWithin(n, most)}
      {fewest != null && n < fewest && `, ${words.tooFew(fewest)}`}
      {most != null && n > most && `, ${words.tooMany(most)}`}
      {most != null && (
        <span className={`${css.meter} ${off ? css.off : ""}`} aria-hidden>
          <i style={{ width: `${Math.min(100, (100 * n) / most)}%` }} />
        </span>
      )}
    </p>
  );
}

function ColumnView(props: {
  column: Column | null;
  at: number;
  /** The first of them; ``n``: how many there are. */
  students: string[];
  n: number;
  cards: Map<string, Card>;
  bands: string[];
  onKey: (event: KeyboardEvent, place: Place) => void;
}) {
  const { column, at, students, cards } = props;
  const drop = useDroppable({ id: `column ${column?.id ?? "free"}`, data: { column: column?.id ?? null } });
  const name = column?.name ?? words.free;
  const drag = useDraggable({ id: `from ${column?.id ?? "free"}` });
  return (
    <section
      ref={drop.setNodeRef}
      className={`${css.column} ${drop.isOver ? css.over : ""}`}
      aria-label={`${at}: ${name}`}
    >
      <header>
        <span className={css.number} aria-hidden>
          {at}
        </span>
        <b>{name}</b>
        {column ? (
          <>
            <p>{words.focusOf(column.focus)}</p>
            <p>{[column.adult ?? words.noAdult, ...column.slots].join(", ")}</p>
            <Size column={column} />
          </>
        ) : (
          <p>{words.size(many(props.n))}</p>
        )}
      </header>
      <ol
        className={css.cards}
        ref={drag.setNodeRef}
        {...drag.listeners}
        onKeyDown={(event) => {
          const place = placeAt(event.target);
          if (place) props.onKey(event, place);
        }}
      >
        {students.slice(0, SHOWN).map((student) => {
          const card = cards.get(student);
          return card ? (
            <CardButton
              key={student}
              card={card}
              column={column?.id ?? null}
              reason={column?.reasons?.[student]}
              bands={props.bands}
            />
          ) : null;
        })}
        {props.n > SHOWN && (
          <li className="quiet small" style={{ padding: "6px 10px" }}>
            {words.more(many(props.n - SHOWN))}
          </li>
        )}
      </ol>
    </section>
  );
}

/** Keys of the board: arrows between cards, M and a number to move. */
function useBoardKeys(
  answer: Answer,
  move: (place: Place, target: number | null) => void,
  setAsking: (place: Place | null) => void,
) {
  const { act } = usePins();
  const typed = useRef<{ place: Place; digits: string } | null>(null);
  const timer = useRef<number>(undefined);
  const lists = [answer.free, ...answer.columns.map((column) => column.members)];
  const ids = [null, ...answer.columns.map((column) => column.id)];
  const focus = (column: number, row: number) => {
    const student = lists[column]?.[Math.max(0, Math.min(row, (lists[column]?.length ?? 0) - 1))];
    if (student === undefined) return false;
    const key = keyOf({ student, column: ids[column] ?? null });
    const node = document.querySelector<HTMLElement>(`[data-place="${CSS.escape(key)}"]`);
    node?.focus();
    return Boolean(node);
  };
  const finish = () => {
    window.clearTimeout(timer.current);
    const now = typed.current;
    typed.current = null;
    setAsking(null);
    if (!now?.digits) return;
    const target = Number(now.digits);
    if (target < ids.length) move(now.place, ids[target] ?? null);
  };
  return (event: KeyboardEvent, place: Place) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const column = ids.indexOf(place.column);
    const row = lists[column]?.indexOf(place.student) ?? 0;
    const key = event.key.toLowerCase();
    const waiting = typed.current;
    if (waiting && /^\d$/.test(key)) {
      waiting.digits += key;
      window.clearTimeout(timer.current);
      // With ten columns or more a second digit may follow.
      if (Number(waiting.digits) * 10 >= ids.length) finish();
      else timer.current = window.setTimeout(finish, 900);
    } else if (waiting && key === "escape") {
      typed.current = null;
      setAsking(null);
    } else if (waiting && key === "enter") finish();
    else if (key === "arrowdown") focus(column, row + 1);
    else if (key === "arrowup") focus(column, row - 1);
    else if (key === "arrowright" || key === "arrowleft") {
      const way = key === "arrowright" ? 1 : -1;
      let next = column + way;
      while (next >= 0 && next < lists.length && !focus(next, row)) next += way;
    } else if (key === "m") {
      typed.current = { place, digits: "" };
      setAsking(place);
    } else if (key === "p") {
      const card = answer.cards.find((one) => one.student_id === place.student);
      if (card) act({ type: "toggle", student: { id: card.student_id, name: card.name } });
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
}

export function Board({ answer }: { answer: Answer }) {
  const act = useAct("group");
  const said = useSaid();
  const [asking, setAsking] = useState<Place | null>(null);
  const [refused, setRefused] = useState("");
  const cards = new Map(answer.cards.map((card) => [card.student_id, card]));
  // A short way before it is a drag, so that a click opens the student.
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }));
  const columnOf = (id: number | null) => answer.columns.find((one) => one.id === id);
  const move = async (place: Place, target: number | null) => {
    if (target === place.column) return;
    const touched = [place.column, target].map(columnOf).filter((one) => one !== undefined);
    if (touched.some((one) => !one.may_change)) {
      setRefused(words.cannot);
      return;
    }
    setRefused("");
    const name = cards.get(place.student)?.name ?? place.student;
    const body = { student_id: place.student, source: place.column, target };
    const done = await act.run(
      () => got(client.POST("/api/board/moves", { body })),
      (answer) => ({
        said:
          target === null
            ? words.movedOut(said(name), columnOf(place.column)?.name ?? "")
            : words.movedTo(said(name), columnOf(target)?.name ?? ""),
        act: answer.id,
      }),
    );
    if (done) {
      const key = keyOf({ student: place.student, column: target });
      window.setTimeout(
        () => document.querySelector<HTMLElement>(`[data-place="${CSS.escape(key)}"]`)?.focus(),
        250,
      );
    }
  };
  const onKey = useBoardKeys(answer, move, setAsking);
  const drawn = useGrowing(answer.columns.length, COLUMNS);
  return (
    <>
      <div role="status" aria-live="polite">
        {asking && <p className="aside">{words.moveTo(said(cards.get(asking.student)?.name ?? ""))}</p>}
        {!asking && <Done said={act.said} act={act.last} undo={act.undo} />}
      </div>
      {(act.fault || refused) && (
        <p className="fault" role="alert">
          {refused || act.fault?.message}
        </p>
      )}
      <DndContext
        sensors={sensors}
        collisionDetection={pointerWithin}
        onDragEnd={({ activatorEvent, over }) => {
          const target = over?.data.current as { column: number | null } | undefined;
          const place = placeAt(activatorEvent.target);
          if (target && place) move(place, target.column);
        }}
      >
        <div className={css.board}>
          <ColumnView
            column={null}
            at={0}
            students={answer.free}
            n={answer.free_n}
            cards={cards}
            bands={answer.bands}
            onKey={onKey}
          />
          {answer.columns.slice(0, drawn).map((column, at) => (
            <ColumnView
              key={column.id}
              column={column}
              at={at + 1}
              students={column.members}
              n={column.members.length}
              cards={cards}
              bands={answer.bands}
              onKey={onKey}
            />
          ))}
        </div>
        <Dragged cards={cards} />
      </DndContext>
      <p className="quiet small">{words.keys}</p>
    </>
  );
}
