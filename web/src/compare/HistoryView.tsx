/** The history grid: a row a student, a column per test and window, this year and the years before. */

import { useQuery } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { BandMark } from "../marks/BandMark";
import { StudentName } from "../panel/StudentName";
import { useMe } from "../people/me";
import { PinMark } from "../pins/PinMark";
import { Many } from "../scope/Choosing";
import { asked, type Scope, writeScope } from "../scope/scope";
import { useChoices } from "../scope/useChoices";
import { Shown } from "../step/Shown";
import { Download } from "../ui/Download";
import { usePages } from "../ui/lists/usePages";
import { PRINTED, PrintButton, usePrinted } from "../ui/PrintButton";
import { many, score } from "../words/format";
import { compare as words } from "../words/steps/compare";

type Grid = Schemas["HistoryGrid"];
type Row = Schemas["GridRow"];

const PAGE = 100;
const HEIGHT = 28;
const MOST_YEARS = 6;

interface Choice {
  measures: string[];
  years: number;
  strands: boolean;
}

interface Sort {
  key: string;
  down: boolean;
}

function askedFor(scope: Scope, choice: Choice, sort: Sort, start: number, count: number) {
  return {
    ...asked(scope),
    measure: choice.measures,
    years: choice.years,
    strands: choice.strands,
    sort: sort.key,
    down: sort.down,
    start,
    count,
  };
}

/** Columns as their address has them, so that a choice of columns outlives another page of rows. */
function shownOf(grid: Grid, hidden: string[]) {
  return grid.columns
    .map((column, at) => ({ column, at }))
    .filter(({ column }) => !hidden.includes(column.key));
}

function Table(props: {
  grid: Grid;
  scope: Scope;
  choice: Choice;
  sort: Sort;
  setSort: (sort: Sort) => void;
  hidden: string[];
  /** All rows at once, for paper. */
  printed: Row[] | null;
}) {
  const { printed } = props;
  const { grid, scope, choice, sort, setSort } = props;
  const scroller = useRef<HTMLElement>(null);
  const list = useVirtualizer({
    useFlushSync: false,
    count: grid.n,
    getScrollElement: () => scroller.current,
    estimateSize: () => HEIGHT,
    overscan: 10,
  });
  const inView = list.getVirtualItems();
  const items = printed ? printed.map((_, index) => ({ index, start: 0, end: list.getTotalSize() })) : inView;
  const page = usePages<Row>({
    about: ["history-rows", scope, choice, sort],
    size: PAGE,
    first: inView[0]?.index ?? 0,
    last: inView.at(-1)?.index ?? 0,
    fetch: async (start) =>
      (
        await got(
          client.GET("/api/compare/history", {
            params: { query: askedFor(scope, choice, sort, start, PAGE) },
          }),
        )
      ).rows,
    ahead: grid.rows,
  });
  const row = (place: number) => printed?.[place] ?? page(place);
  const shown = shownOf(grid, props.hidden);
  const before = items[0]?.start ?? 0;
  const after = list.getTotalSize() - (items.at(-1)?.end ?? 0);
  const header = (key: string, label: React.ReactNode, name: string, num = false) => {
    const on = sort.key === key;
    return (
      <th
        key={key}
        className={num ? "num" : undefined}
        aria-sort={on ? (sort.down ? "descending" : "ascending") : "none"}
      >
        <button
          type="button"
          title={words.sortByStudentsWithoutA(name)}
          onClick={() => setSort({ key, down: on ? !sort.down : false })}
        >
          {label}
          {on ? (sort.down ? " ↓" : " ↑") : ""}
        </button>
      </th>
    );
  };
  const width = shown.length + 4;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: the grid scrolls on its own
    <section className="grid" ref={scroller} tabIndex={0} aria-label={words.historyOfResults}>
      <table className="rows lanes" aria-rowcount={grid.n}>
        <thead>
          <tr>
            <th>
              <span className="unseen">{words.pin}</span>
            </th>
            {header("name", words.student, "name")}
            {header("section", words.classWord, "class")}
            <th>{words.programs}</th>
            {shown.map(({ column }) =>
              header(
                column.key,
                <>
                  {column.title}
                  <br />
                  {column.window} <span className="quiet">({many(column.n)})</span>
                </>,
                `${column.title}, ${column.window}`,
                true,
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {before > 0 && (
            <tr aria-hidden>
              <td colSpan={width} style={{ height: before, border: 0 }} />
            </tr>
          )}
          {items.map((item) => {
            const one = row(item.index);
            return (
              <tr key={item.index} aria-rowindex={item.index + 1} style={{ height: HEIGHT }}>
                {one ? (
                  <>
                    <td>
                      <PinMark id={one.student_id} name={one.name} />
                    </td>
                    <td>
                      <StudentName student={one} />
                    </td>
                    <td className="quiet">{one.section}</td>
                    <td className="quiet small">{one.programs.join(", ")}</td>
                    {shown.map(({ column, at }) => {
                      const cell = one.cells[at];
                      return (
                        <td className="num" key={column.key}>
                          {cell ? (
                            <>
                              {score(cell.score)} <BandMark order={cell.order} bands={grid.bands[at] ?? []} />
                            </>
                          ) : (
                            <span className="quiet">·</span>
                          )}
                        </td>
                      );
                    })}
                  </>
                ) : (
                  <td colSpan={width} className="quiet">
                    …
                  </td>
                )}
              </tr>
            );
          })}
          {after > 0 && (
            <tr aria-hidden>
              <td colSpan={width} style={{ height: after, border: 0 }} />
            </tr>
          )}
        </tbody>
      </table>
    </section>
  );
}

export function HistoryView({ scope }: { scope: Scope }) {
  const me = useMe();
  const choices = useChoices(scope).data;
  const own = `${scope.assessment}|${scope.subject}`;
  const [measures, setMeasures] = useState<string[]>([]);
  const [years, setYears] = useState(1);
  const [strands, setStrands] = useState(Boolean(scope.strand));
  const [hidden, setHidden] = useState<string[]>([]);
  const [sort, setSort] = useState<Sort>({ key: "name", down: false });
  const choice: Choice = { measures: measures.length ? measures : [own], years, strands };
  const grid = useQuery({
    queryKey: ["history", scope, choice, sort],
    // While another choice is worked out, what stands here is asked about under its own.
    queryFn: async () => ({
      scope,
      choice,
      sort,
      grid: await got(
        client.GET("/api/compare/history", { params: { query: askedFor(scope, choice, sort, 0, PAGE) } }),
      ),
    }),
    placeholderData: (before) => before,
  });
  const printed = usePrinted(
    async () =>
      (
        await got(
          client.GET("/api/compare/history", {
            params: { query: askedFor(scope, choice, sort, 0, PRINTED) },
          }),
        )
      ).rows,
  );
  const query = new URLSearchParams(writeScope(scope));
  for (const one of choice.measures) query.append("measure", one);
  query.set("years", String(years));
  query.set("strands", String(strands));
  query.set("sort", sort.key);
  query.set("down", String(sort.down));
  return (
    <Shown query={grid}>
      {({ grid: data, ...shown }) => (
        <>
          <h1>
            {many(data.n)} {words.students} {data.columns.length} {words.columnsOfResults}
          </h1>
          <div className="switches">
            <div style={{ width: 250 }}>
              <Many
                label={words.tests}
                values={choice.measures}
                options={(choices?.measures ?? []).map((one) => ({
                  value: `${one.assessment}|${one.subject}`,
                  label: one.title,
                }))}
                onChange={setMeasures}
              />
            </div>
            <label className="field" style={{ width: 150 }}>
              <span>{words.howFarBack}</span>
              <select value={years} onChange={(event) => setYears(Number(event.target.value))}>
                {Array.from({ length: MOST_YEARS + 1 }, (_, back) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: the years are their number
                  <option key={back} value={back}>
                    {back === 0 ? words.thisYear : back === 1 ? words.n1YearBack : words.yearsBack(back)}
                  </option>
                ))}
              </select>
            </label>
            <div style={{ width: 230 }}>
              <Many
                label={words.columnsLeftOut}
                values={hidden}
                options={data.columns.map((column) => ({
                  value: column.key,
                  label: `${column.title}, ${column.window}`,
                }))}
                onChange={setHidden}
              />
            </div>
            <label>
              <input
                type="checkbox"
                checked={strands}
                onChange={(event) => setStrands(event.target.checked)}
              />{" "}
              {words.partScores}
            </label>
            <span className="u-at-end">
              {me.may_export && (
                <Download path="compare/history" query={query.toString()} what={words.theHistory} />
              )}
              <PrintButton before={printed.ready} />
            </span>
          </div>
          {data.columns.length === 0 ? (
            <p className="aside">{words.noneOfTheseStudentsHas}</p>
          ) : (
            <Table
              key={JSON.stringify([shown.scope, shown.choice, shown.sort])}
              grid={data}
              scope={shown.scope}
              choice={shown.choice}
              sort={shown.sort}
              setSort={setSort}
              hidden={hidden}
              printed={printed.rows}
            />
          )}
        </>
      )}
    </Shown>
  );
}
