/** The lanes: a row a student, sorted by distance from expected; only the rows in view are drawn. */
import { useVirtualizer } from "@tanstack/react-virtual";
import { type KeyboardEvent, memo, useMemo, useRef } from "react";
import { client, got, type Schemas } from "../api/client";
import { BandMark } from "../marks/BandMark";
import { Lane } from "../marks/Lane";
import { usePanel } from "../panel/PanelContext";
import { Name } from "../people/Hiding";
import { usePins } from "../pins/PinContext";
import { PinMark } from "../pins/PinMark";
import { asked, type Scope } from "../scope/scope";
import { How } from "../step/How";
import { useSorting } from "../ui/lists/sorting";
import { usePages } from "../ui/lists/usePages";
import { useRoom } from "../ui/useRoom";
import { useWidth } from "../ui/useWidth";
import { useWorkedAmong } from "../ui/useWorkedAmong";
import { rank, score, season, seasonWord, signed, verdict } from "../words/format";
import { growth as words } from "../words/steps/growth";

type Answer = Schemas["GrowthAnswer"];
type Row = Schemas["StudentRow"];
type Key = "name" | "percentile" | "from" | "to" | "gain" | "distance" | "verdict" | "goal";

const PAGE = 100;

const HEIGHT = 28;
/** What stands under the list: its switches, and the pins at the foot of the screen. */
const BELOW = 100;

interface LineProps {
  row: Row;
  domain: [number, number];
  bands: string[];
  width: number;
  coming: boolean;
  means: boolean;
  goals: boolean;
  onOpen: (row: Row) => void;
}

/** The range of a score or a percentile, beside it in quiet type. */
function Range({ low, high }: { low: number | null | undefined; high: number | null | undefined }) {
  if (low == null || high == null) return null;
  return (
    <span className="quiet small">
      {" "}
      {score(low)}–{score(high)}
    </span>
  );
}

const Line = memo(function Line({ row, domain, bands, width, coming, means, goals, onOpen }: LineProps) {
  return (
    <>
      <td style={{ width: 22 }}>
        <PinMark id={row.student_id} name={row.name} inRow />
      </td>
      <td>
        <button type="button" className="open u-no-line" tabIndex={-1} onClick={() => onOpen(row)}>
          <Name name={row.name} />
        </button>
      </td>
      <td className="num">
        {rank(row.from_percentile)}
        {coming && <Range low={row.from_percentile_low} high={row.from_percentile_high} />} →{" "}
        {rank(coming ? row.expected_percentile : row.to_percentile)}
        {coming && <Range low={row.expected_percentile_low} high={row.expected_percentile_high} />}
      </td>
      <td>
        <span className="lane" tabIndex={-1}>
          <Lane row={row} domain={domain} bands={bands.length} width={width} means={means} />
        </span>
      </td>
      <td className="num">{score(row.from_score)}</td>
      <td className="num">
        {coming ? (
          <>
            {score(row.expected_score)}
            <Range low={row.expected_low} high={row.expected_high} />
          </>
        ) : (
          <>
            {score(row.to_score)} <BandMark order={row.to_order} bands={bands} />
          </>
        )}
      </td>
      {coming ? (
        <td className="num">{signed(row.expected_gain)}</td>
      ) : (
        <>
          <td className="num">
            <b>{signed(row.gain)}</b>{" "}
            <span className="quiet">
              {words.of} {signed(row.expected_gain).replace("+", "")}
            </span>
          </td>
          <td className="num">{signed(row.distance, 1)}</td>
          <td className="quiet" style={{ paddingLeft: 12 }}>
            {verdict(row.verdict)}
          </td>
        </>
      )}
      {goals && (
        <td className="num" title={row.goal_kind ?? undefined}>
          {row.goal == null ? <span className="quiet">·</span> : score(row.goal)}
        </td>
      )}
    </>
  );
});

export function Lanes(props: {
  answer: Answer;
  scope: Scope;
  means: boolean;
  /** All rows at once, for paper. */
  printed: Row[] | null;
}) {
  const { answer, scope, means, printed } = props;
  const { openStudent } = usePanel();
  const { act } = usePins();
  const { by, header } = useSorting<Key>({
    key: answer.still_to_come ? "from" : "distance",
    down: false,
  });
  const domain = useMemo<[number, number]>(
    () => [answer.lanes_from, answer.lanes_to],
    [answer.lanes_from, answer.lanes_to],
  );
  const goals = answer.with_goal > 0;
  const [box, width] = useWidth<HTMLDivElement>(1000);
  const scroller = useRef<HTMLElement>(null);
  const room = useRoom(scroller, BELOW);
  const laneWidth = Math.max(
    180,
    Math.min(560, width - (answer.still_to_come ? 680 : 630) - (goals ? 62 : 0)),
  );
  const list = useVirtualizer({
    count: answer.n,
    getScrollElement: () => scroller.current,
    estimateSize: () => HEIGHT,
    overscan: 12,
    // Several turns of the wheel are drawn in one.
    useFlushSync: false,
  });
  const inView = list.getVirtualItems();
  const items = printed ? printed.map((_, index) => ({ index, start: 0, end: list.getTotalSize() })) : inView;
  const ahead = by.key === "distance" && !by.down ? answer.rows : undefined;
  const page = usePages<Row>({
    about: ["growth-rows", scope, by, answer.data_version],
    size: PAGE,
    first: inView[0]?.index ?? 0,
    last: inView.at(-1)?.index ?? 0,
    fetch: async (start) =>
      (
        await got(
          client.GET("/api/growth/rows", {
            params: { query: { ...asked(scope), sort: by.key, down: by.down, start, count: PAGE } },
          }),
        )
      ).rows,
    ...(ahead ? { ahead: ahead } : {}),
  });
  const rowAt = (place: number) => printed?.[place] ?? page(place);
  const before = items[0]?.start ?? 0;
  const after = list.getTotalSize() - (items.at(-1)?.end ?? 0);
  const onOpen = useMemo(
    () => (row: Row) => openStudent({ id: row.student_id, name: row.name }),
    [openStudent],
  );
  const onKey = (event: KeyboardEvent<HTMLTableRowElement>, at: number) => {
    const row = rowAt(at);
    if (!row) return;
    const go = (next: number) => {
      event.preventDefault();
      const place = Math.max(0, Math.min(answer.n - 1, next));
      const line = () => scroller.current?.querySelector<HTMLElement>(`tr[data-index="${place}"]`);
      list.scrollToIndex(place);
      // A row out of view is drawn only after the list has scrolled.
      const there = line();
      if (there) there.focus();
      else requestAnimationFrame(() => line()?.focus());
    };
    if (event.key === "ArrowDown") go(at + 1);
    else if (event.key === "ArrowUp") go(at - 1);
    else if (event.key === "PageDown") go(at + 12);
    else if (event.key === "PageUp") go(at - 12);
    else if (event.key.toLowerCase() === "p" && !event.ctrlKey && !event.metaKey) {
      event.preventDefault();
      event.stopPropagation();
      act({ type: "toggle", student: { id: row.student_id, name: row.name } });
    } else if (event.key === "Enter" && event.target === event.currentTarget) onOpen(row);
  };
  const worked = useWorkedAmong(
    // Wherever a row has a figure, the mouse finds what it was worked out from.
    ".lane, td.num",
    (node) => rowAt(Number(node.closest("tr")?.dataset.index))?.explained,
    "tr[data-index]",
  );
  const [first, second] = [season(answer.from_label), season(answer.to_label)];
  return (
    <div className="lanes" ref={box}>
      <section
        ref={scroller}
        // biome-ignore lint/a11y/noNoninteractiveTabindex: the list scrolls on its own
        tabIndex={0}
        aria-label={words.studentsAndTheirGrowth}
        style={{ overflow: "auto", maxHeight: Math.max(300, room) }}
        onScroll={worked.quiet}
      >
        {worked.tip}
        <table className="rows" aria-rowcount={answer.n}>
          <thead>
            <tr>
              <th>
                <span className="unseen">{words.pin}</span>
              </th>
              {header("name", words.student)}
              {header("percentile", words.percentile, {
                num: true,
                title: words.of100StudentsOfThe,
              })}
              <th>
                {first} ○{answer.still_to_come ? ", " : words.to(seasonWord(answer.to_label))}
                <How of="expected-growth">{words.expected}</How>
                {answer.still_to_come ? words.inWord(seasonWord(answer.to_label)) : " |"}
              </th>
              {header("from", first, { num: true })}
              {header("to", answer.still_to_come ? words.expected2 : second, { num: true })}
              {header("gain", answer.still_to_come ? words.expectedGain : words.growth, { num: true })}
              {!answer.still_to_come && (
                <>
                  {header("distance", words.distance, {
                    num: true,
                    title: words.growthLessExpectedGrowthIn,
                  })}
                  <th style={{ paddingLeft: 12 }}>
                    <How of="met-and-the-verdict">{words.verdict}</How>
                  </th>
                </>
              )}
              {goals && header("goal", "Goal ⚑", { num: true })}
            </tr>
          </thead>
          <tbody {...worked.handlers}>
            {before > 0 && (
              <tr aria-hidden>
                <td colSpan={10} style={{ height: before, border: 0 }} />
              </tr>
            )}
            {items.map((item) => {
              const row = rowAt(item.index);
              // A row whose page is on its way keeps its place.
              if (!row)
                return (
                  <tr key={item.index} style={{ height: HEIGHT }}>
                    <td colSpan={10} className="quiet">
                      …
                    </td>
                  </tr>
                );
              return (
                <tr
                  key={row.student_id}
                  aria-description={row.explained}
                  data-index={item.index}
                  aria-rowindex={item.index + 1}
                  // Only one row is in the order of Tab; the arrow keys go through the others.
                  tabIndex={item.index === (items[0]?.index ?? 0) ? 0 : -1}
                  onKeyDown={(event) => onKey(event, item.index)}
                >
                  <Line
                    row={row}
                    domain={domain}
                    bands={answer.bands}
                    width={laneWidth}
                    coming={answer.still_to_come}
                    means={means}
                    goals={goals}
                    onOpen={onOpen}
                  />
                </tr>
              );
            })}
            {after > 0 && (
              <tr aria-hidden>
                <td colSpan={10} style={{ height: after, border: 0 }} />
              </tr>
            )}
          </tbody>
        </table>
      </section>
    </div>
  );
}
