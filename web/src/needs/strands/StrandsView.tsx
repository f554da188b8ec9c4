/** Strands: names at their distance from the line, two lines that part them, and the same as a table. */
import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { type NeedsPick, usePanel } from "../../panel/PanelContext";
import { useMe } from "../../people/me";
import { usePins } from "../../pins/PinContext";
import { asked, type Scope, writeScope } from "../../scope/scope";
import { NothingHere } from "../../step/NothingHere";
import { Notes, Shown } from "../../step/Shown";
import { useStepParam } from "../../step/useStepParam";
import { Choice } from "../../ui/Choice";
import { Download } from "../../ui/Download";
import { PrintButton } from "../../ui/PrintButton";
import { useWidth } from "../../ui/useWidth";
import { many, season } from "../../words/format";
import { needs as words } from "../../words/steps/needs";
import { StrandBody } from "./Column";
import { DragLines, type Lines } from "./Lines";
import { countBelow } from "./placing";
import { StrandTable } from "./StrandTable";
import css from "./strands.module.css";

type Answer = Schemas["StrandsAnswer"];
type Strand = Schemas["StrandColumn"];
type Line = Answer["line"];
type Student = Schemas["StrandStudent"];

const HEIGHT = 320;
/** The head of a column, as the style sheet has it. */
const HEAD = 66;
/** How far from the line the picture reaches, in errors: as far as all but the furthest few stand. */
const LEAST_REACH = 2.5;
const MOST_REACH = 8;
const OUTERMOST = 0.02;
const FIRST: Lines = { upper: 0, lower: -1 };

function reachOf(answer: Answer): number {
  const far = answer.strands
    .flatMap((one) => one.distance)
    .flatMap((value) => (value == null ? [] : [Math.abs(value)]))
    .sort((a, b) => a - b);
  if (!far.length) return MOST_REACH / 2;
  const edge = far[Math.floor((far.length - 1) * (1 - OUTERMOST))] ?? LEAST_REACH;
  return Math.max(LEAST_REACH, Math.min(MOST_REACH, Math.ceil(2 * edge) / 2));
}

/** How many of a strand are there, near and far by the lines. */
function partsOf(strand: Strand, sorted: Float64Array, answer: Answer, lines: Lines) {
  if (!strand.counts.length) {
    const far = countBelow(sorted, lines.lower);
    const below = countBelow(sorted, lines.upper);
    return { far, near: below - far, there: sorted.length - below };
  }
  let [far, near, there] = [0, 0, 0];
  strand.counts.forEach((n, at) => {
    const middle = answer.low + (at + 0.5) * answer.step;
    if (middle < lines.lower) far += n;
    else if (middle < lines.upper) near += n;
    else there += n;
  });
  return { far, near, there };
}

function Parts(props: {
  strand: Strand;
  sorted: Float64Array;
  answer: Answer;
  lines: Lines;
  open: (pick: NeedsPick) => void;
  pinNear: (strand: Strand) => void;
}) {
  const { strand, lines, answer } = props;
  const counts = partsOf(strand, props.sorted, answer, lines);
  const base = { of: "strand", strand: strand.strand, line: answer.line } as const;
  const parts = [
    [words.there, counts.there, { away_from: lines.upper }],
    [words.near, counts.near, { away_from: lines.lower, away_to: lines.upper }],
    [words.far, counts.far, { away_to: lines.lower }],
  ] as const;
  return (
    <div className={css.foot}>
      {parts.map(([word, n, range], at) => (
        <span key={word}>
          {at > 0 && " · "}
          <button
            type="button"
            className="open"
            disabled={!n}
            onClick={() => props.open({ ...base, ...range })}
          >
            {n} {word}
          </button>
        </span>
      ))}
      <br />
      <button
        type="button"
        className="word"
        title={words.pinNearTitle}
        disabled={!counts.near}
        onClick={() => props.pinNear(strand)}
      >
        {words.pinNear(counts.near)}
      </button>
    </div>
  );
}

function Picture(props: {
  answer: Answer;
  scope: Scope;
  lines: Lines;
  setLines: (l: Lines) => void;
  earlier: boolean;
  inPoints: boolean;
}) {
  const { answer, scope, lines, setLines } = props;
  const { open, openStudent } = usePanel();
  const { has, act } = usePins();
  const [box, width] = useWidth<HTMLDivElement>(900);
  const strandWidth = Math.floor(width / Math.max(1, answer.strands.length)) - 1;
  const reach = useMemo(() => reachOf(answer), [answer]);
  const y = useCallback(
    (distance: number) =>
      HEIGHT / 2 - (Math.max(-reach, Math.min(reach, distance)) / reach) * (HEIGHT / 2 - 6),
    [reach],
  );
  const distance = useCallback(
    (pixels: number) => ((HEIGHT / 2 - pixels) / (HEIGHT / 2 - 6)) * reach,
    [reach],
  );
  const sorted = useMemo(
    () =>
      new Map(
        answer.strands.map((one) => [
          one.strand,
          Float64Array.from(one.distance.filter((value) => value != null)).sort(),
        ]),
      ),
    [answer],
  );
  const pin = useCallback(
    (student: Student) => act({ type: "toggle", student: { id: student.student_id, name: student.name } }),
    [act],
  );
  const show = useCallback(
    (student: Student) => openStudent({ id: student.student_id, name: student.name }),
    [openStudent],
  );
  const pinNear = async (strand: Strand) => {
    const part = { strand: strand.strand, line: answer.line, away_from: lines.lower, away_to: lines.upper };
    const found = await got(
      client.GET("/api/needs/strands/drill-down", {
        params: { query: { ...asked(scope), ...part, count: 5000 } },
      }),
    );
    act({ type: "add", students: found.rows.map((row) => ({ id: row.student_id, name: row.name })) });
  };
  const middle = (a: number, b: number) => (y(a) + y(b)) / 2;
  return (
    <div className={css.picture}>
      <div className={css.axis} aria-hidden>
        <div style={{ position: "absolute", top: HEAD, height: HEIGHT }}>
          <span className={css.part} style={{ top: middle(reach, lines.upper) }}>
            {words.there}
          </span>
          {y(lines.lower) - y(lines.upper) > 26 && (
            <span className={css.part} style={{ top: middle(lines.upper, lines.lower) }}>
              {words.near}
            </span>
          )}
          <span className={css.part} style={{ top: middle(lines.lower, -reach) }}>
            {words.far}
          </span>
        </div>
      </div>
      <div className={css.columns} ref={box}>
        {answer.strands.map((strand) => (
          <section key={strand.strand} className={css.column} aria-label={strand.strand}>
            <div className={css.head}>
              <b title={strand.strand}>{strand.strand}</b>
              <span className="small">
                {words.belowOf(many(strand.below), many(strand.n))}
                <br />
                <span className="quiet" title={words.beyondTitle}>
                  {words.beyond(many(strand.below_beyond))}
                </span>
              </span>
            </div>
            <div className={css.plot} style={{ height: HEIGHT }}>
              <div
                className={css.near}
                style={{ top: y(lines.upper), height: y(lines.lower) - y(lines.upper) }}
              />
              <div className={css.far} style={{ top: y(lines.lower), bottom: 0 }} />
              <div className={css.body}>
                <StrandBody
                  strand={strand}
                  students={answer.students}
                  width={strandWidth}
                  height={HEIGHT}
                  y={y}
                  low={answer.low}
                  step={answer.step}
                  earlier={props.earlier}
                  inPoints={props.inPoints}
                  pinned={has}
                  open={show}
                  pin={pin}
                />
              </div>
            </div>
            <Parts
              strand={strand}
              sorted={sorted.get(strand.strand) ?? new Float64Array()}
              answer={answer}
              lines={lines}
              open={(needs) => open({ needs })}
              pinNear={pinNear}
            />
          </section>
        ))}
        <div style={{ position: "absolute", top: HEAD, left: 0, right: 0, height: 0 }}>
          <DragLines lines={lines} y={y} distance={distance} onChange={setLines} />
        </div>
      </div>
    </div>
  );
}

export function StrandsView({ scope }: { scope: Scope }) {
  const me = useMe();
  const [line, setLine] = useStepParam("line");
  const [lines, setLines] = useState(FIRST);
  const [showEarlier, setShowEarlier] = useStepParam("earlier");
  const [unit, setUnit] = useStepParam("unit");
  const earlier = showEarlier === "shown";
  const inPoints = unit === "points";
  const answer = useQuery({
    queryKey: ["needs", "strands", scope, line, earlier],
    queryFn: () =>
      got(
        client.GET("/api/needs/strands", {
          params: { query: { ...asked(scope), ...(line ? { line: line as Line } : {}), earlier } },
        }),
      ),
    placeholderData: (before) => before,
  });
  const query = writeScope(scope);
  if (line) query.set("line", line);
  return (
    <Shown query={answer}>
      {(data) =>
        !data.strands.length ? (
          <NothingHere headline={words.noStrands} lead={words.noStrandsLead} />
        ) : !data.window ? (
          <NothingHere headline={data.headline} lead={data.lead} />
        ) : (
          <>
            <h1>{data.headline}</h1>
            <p className="lead u-any-width">
              {data.lead} {data.students.length > 0 && words.bold}
            </p>
            <div className="switches">
              <label className="u-in-row u-one-line">
                <span>{words.held}</span>
                <select className="plain" value={data.line} onChange={(event) => setLine(event.target.value)}>
                  {data.lines.map((one) => (
                    <option key={one.key} value={one.key} disabled={one.why !== null} title={one.why ?? ""}>
                      {one.words}
                    </option>
                  ))}
                </select>
              </label>
              <Choice
                label={words.unit}
                value={inPoints}
                options={[
                  [false, words.inErrors],
                  [true, words.inPoints],
                ]}
                onChange={(points) => setUnit(points ? "points" : null)}
              />
              {data.earlier_window && (
                <label>
                  <input
                    type="checkbox"
                    checked={earlier}
                    onChange={(event) => setShowEarlier(event.target.checked ? "shown" : null)}
                  />{" "}
                  {words.showEarlier(season(data.earlier_window).toLowerCase())}
                </label>
              )}
              <span className="u-at-end">
                {me.may_export && (
                  <Download path="needs/strands" query={query.toString()} what={words.thisTable} />
                )}
                <PrintButton />
              </span>
            </div>
            <Picture
              answer={data}
              scope={scope}
              lines={lines}
              setLines={setLines}
              earlier={earlier}
              inPoints={inPoints}
            />
            {data.students.length > 0 && <StrandTable answer={data} inPoints={inPoints} />}
            <Notes notes={data.notes} />
          </>
        )
      }
    </Shown>
  );
}
