/** One strand: its students' names at their distance from the line, or how many stand where. */
import { memo, useMemo, useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { useHiding } from "../../people/Hiding";
import { score, signed } from "../../words/format";
import { needs as words } from "../../words/steps/needs";
import { initials, type Placed, placed, shortName } from "./placing";
import css from "./strands.module.css";

type Strand = Schemas["StrandColumn"];
type Student = Schemas["StrandStudent"];

/** Up to so many students stand with their names, up to so many with initials; beyond that a density is drawn. */
export const NAMED = 40;
export const SHORT = 200;
const EDGE = 8;
/** Pixels that a name may stand from its own distance. */
const FURTHEST = 34;

interface Props {
  strand: Strand;
  students: Student[];
  width: number;
  height: number;
  y: (distance: number) => number;
  /** Distances along which a density is drawn: the first step's lower end and the width of a step. */
  low: number;
  step: number;
  earlier: boolean;
  inPoints: boolean;
  pinned: (id: string) => boolean;
  open: (student: Student) => void;
  pin: (student: Student) => void;
}

/** Counts along the distance, from the answer or from the students themselves. */
function countsOf(strand: Strand, low: number, step: number, of: "distance" | "earlier"): number[] {
  if (strand.counts.length) return of === "distance" ? strand.counts : [];
  const counts: number[] = [];
  for (const value of strand[of] ?? []) {
    if (value == null) continue;
    const at = Math.floor((Math.max(low, Math.min(-low - step / 2, value)) - low) / step);
    counts[at] = (counts[at] ?? 0) + 1;
  }
  return counts;
}

/** The density as a path, five steps of the answer to one of the drawing. */
function densityPath(counts: number[], props: Props): string {
  const { low, step, y, width } = props;
  const wide = 5;
  const bins: number[] = [];
  counts.forEach((n, at) => {
    if (n) bins[Math.floor(at / wide)] = (bins[Math.floor(at / wide)] ?? 0) + n;
  });
  // Half of the step, and a quarter of each beside it: a density is read by its shape.
  for (let at = 0; at < Math.ceil(counts.length / wide); at++) bins[at] = bins[at] ?? 0;
  const smooth = bins.map((n, at) => n / 2 + ((bins[at - 1] ?? n) + (bins[at + 1] ?? n)) / 4);
  const most = Math.max(1, ...smooth);
  const points: string[] = [];
  for (let at = 0; at < bins.length + 1; at++) {
    const reach = ((smooth[at] ?? 0) / most) * (width - 2 * EDGE);
    points.push(`L${EDGE + reach} ${y(low + (at + 0.5) * wide * step)}`);
  }
  if (!bins.length) return "";
  return `M${EDGE} ${y(low)} ${points.join(" ")} L${EDGE} ${y(low + bins.length * wide * step)} Z`;
}

function Density(props: Props) {
  const { strand, low, step, earlier, width, height } = props;
  const now = useMemo(() => countsOf(strand, low, step, "distance"), [strand, low, step]);
  const before = useMemo(() => countsOf(strand, low, step, "earlier"), [strand, low, step]);
  return (
    <svg width={width} height={height} role="img" aria-label={words.density}>
      <path d={densityPath(now, props)} fill="var(--ramp-3)" opacity={0.75} />
      {earlier && (
        <path d={densityPath(before, props)} fill="none" stroke="var(--ink)" strokeDasharray="3 3" />
      )}
    </svg>
  );
}

interface Placing {
  places: Placed[];
  many: boolean;
  wide: number;
}

/** Where names stand, or initials where names have no room; nothing where even these have none. */
function placing({ strand, students, width, height, y }: Props): Placing | null {
  const values = strand.distance.flatMap((value, place) =>
    value == null ? [] : [{ at: place, y: y(value) }],
  );
  const room = width - 2 * EDGE;
  const wide = Math.max(60, room / 2);
  const named =
    students.length > NAMED
      ? null
      : placed(values, room, { width: wide, height: 13 }, 2, height - 2, FURTHEST);
  if (named) return { places: named, many: false, wide };
  const short = placed(values, room, { width: 20, height: 10 }, 2, height - 2, FURTHEST);
  return short && { places: short, many: true, wide: 20 };
}

function Names(props: Props & { placing: Placing }) {
  const { strand, students, height, y, earlier, inPoints, pinned, open, pin } = props;
  const { hidden } = useHiding();
  const [at, setAt] = useState(-1);
  const box = useRef<HTMLDivElement>(null);
  const { places, many, wide } = props.placing;
  const told = (place: number) => {
    const value = inPoints ? strand.points[place] : strand.distance[place];
    return `${hidden ? words.student : students[place]?.name}: ${score(strand.score[place])}, ${signed(value, inPoints ? 0 : 1)} ${inPoints ? words.inPoints : words.inErrors}`;
  };
  const shown = places[at];
  const step = (way: number) => setAt((now) => Math.max(0, Math.min(places.length - 1, now + way)));
  return (
    <div
      ref={box}
      role="listbox"
      tabIndex={0}
      aria-label={`${words.strandOf(strand.strand, strand.n)}. ${words.keysInStrand}`}
      aria-activedescendant={shown ? `${strand.strand}-${shown.at}` : undefined}
      className="u-fills"
      onFocus={() => setAt((now) => Math.max(0, now))}
      onBlur={() => setAt(-1)}
      onMouseLeave={() => {
        if (document.activeElement !== box.current) setAt(-1);
      }}
      onKeyDown={(event) => {
        const student = shown && students[shown.at];
        if (event.key === "ArrowDown") step(1);
        else if (event.key === "ArrowUp") step(-1);
        else if (event.key === "Enter" && student) open(student);
        else if (event.key.toLowerCase() === "p" && student) pin(student);
        else return;
        event.preventDefault();
        event.stopPropagation();
      }}
    >
      {earlier &&
        places.map((place) => {
          const before = strand.earlier[place.at];
          return before == null ? null : (
            <span
              key={place.at}
              className={css.before}
              style={{ left: EDGE + place.x + Math.min(wide, 84) - 6, top: y(before) }}
            />
          );
        })}
      {places.map((place, index) => {
        const student = students[place.at];
        if (!student) return null;
        const name = hidden ? "·" : many ? initials(student.name) : shortName(student.name);
        const marks = [
          many ? css.small : css.name,
          index === at ? css.at : "",
          pinned(student.student_id) ? css.pinned : "",
          strand.verdict[place.at] === -1 ? css.beyond : "",
        ];
        return (
          <span
            key={place.at}
            id={`${strand.strand}-${place.at}`}
            role="option"
            tabIndex={-1}
            aria-selected={index === at}
            aria-label={`${name}, ${told(place.at)}`}
            className={marks.join(" ")}
            style={{ left: EDGE + place.x, top: place.y, maxWidth: wide }}
            onMouseEnter={() => setAt(index)}
            onClick={() => open(student)}
            onKeyDown={() => undefined}
          >
            {name}
          </span>
        );
      })}
      {shown && <Spread place={shown} places={places} height={height} many={many} told={told} />}
    </div>
  );
}

/** What is told of the student at hand; among initials also who stands beside. */
function Spread(props: {
  place: { at: number; y: number };
  places: { at: number; y: number }[];
  height: number;
  many: boolean;
  told: (place: number) => string;
}) {
  const { place, many } = props;
  const beside = many
    ? props.places.filter((one) => one.at !== place.at && Math.abs(one.y - place.y) < 6).slice(0, 8)
    : [];
  const above = place.y > props.height / 2;
  const where = above ? { bottom: props.height - place.y + 10 } : { top: place.y + 10 };
  return (
    <div className={css.spread} style={where} aria-hidden>
      <b>{props.told(place.at)}</b>
      {beside.map((one) => (
        <div key={one.at}>{props.told(one.at)}</div>
      ))}
    </div>
  );
}

export const StrandBody = memo(function StrandBody(props: Props) {
  const crowd = props.strand.counts.length > 0 || props.students.length > SHORT;
  const where = crowd ? null : placing(props);
  return where ? <Names {...props} placing={where} /> : <Density {...props} />;
});
