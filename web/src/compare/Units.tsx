/** The same shares by unit as small rows that sort by net move. */
import { memo, type ReactNode, useDeferredValue, useMemo } from "react";
import type { Schemas } from "../api/client";
import type { operations } from "../api/schema";
import { tone } from "../marks/ramp";
import { around, Whisker } from "../marks/Whisker";
import { usePanel } from "../panel/PanelContext";
import type { By } from "../scope/scope";
import { How } from "../step/How";
import { UnitName } from "../step/UnitName";
import { headerOf, type Sorting } from "../ui/lists/sorting";
import { useGrowing } from "../ui/lists/useGrowing";
import { useWidth } from "../ui/useWidth";
import { useWorkedAmong } from "../ui/useWorkedAmong";
import { many, percent, season, signed, students } from "../words/format";
import { compare as words } from "../words/steps/compare";

type Answer = Schemas["CompareAnswer"];
type Row = Schemas["ByRow"];

/** Rows drawn at once: each has two bars of as many parts as there are bands. */
const AT_ONCE = 12;

function Bar(props: {
  row: Row;
  side: "from" | "to";
  width: number;
  label: string;
  onOpen: (order: number) => void;
}) {
  const { row, side, width, label } = props;
  let x = 0;
  const n = row.bands.length;
  return (
    <svg
      className="bar"
      width={width}
      height={9}
      role="img"
      aria-label={`${label}: ${row.bands.map((b) => `${b.band} ${percent(b[`${side}_share`])}`).join(", ")}`}
    >
      {row.bands.map((band) => {
        const size = (band[`${side}_share`] ?? 0) * width;
        const at = x;
        x += size;
        return (
          // biome-ignore lint/a11y/noStaticElementInteractions: by keyboard the numbers of the row open the same students
          <rect
            key={band.order}
            x={at}
            y={0.5}
            width={size}
            height={8}
            fill={tone(band.order, n)}
            stroke="var(--band-outline)"
            strokeWidth={0.5}
            className="u-pointed"
            onClick={() => props.onOpen(band.order)}
          >
            <title>
              {words.ofThem(band.band, students(band[`${side}_n`] ?? 0), percent(band[`${side}_share`]))}
            </title>
          </rect>
        );
      })}
    </svg>
  );
}

/** A unit's share at or above a band in the numbers that went into it. */
function aboveWorked(row: Row, side: "from" | "to", order: number): string {
  const counts = row.bands.map((band) => band[`${side}_n`]);
  if (counts.some((n) => n == null)) return "";
  const whole = counts.reduce<number>((sum, n) => sum + (n ?? 0), 0);
  const above = counts.slice(order - 1).reduce<number>((sum, n) => sum + (n ?? 0), 0);
  return words.ofStudentsAreInOr(many(above), many(whole), row.bands[order - 1]?.band ?? "");
}

function netWorked(row: Row): string | undefined {
  const moved = row.movement;
  if (moved?.up == null || moved.down == null) return undefined;
  return words.movedUpLessDownOf(many(moved.up), many(moved.down), many(row.counts.matched));
}

/** A figure that tells its numbers: by mouse and focus, and to a screen reader. */
function workedProps(text: string) {
  return text ? { "data-worked": text, "aria-description": text } : {};
}

/** A unit's name; of two breakdowns crossed, both. */
function named(row: Row): string {
  return row.value2 == null ? row.value : `${row.value}, ${row.value2}`;
}

/** A window inside a sentence. */
function inside(label: string | undefined): string {
  return /^(Fall|Winter|Spring)$/.test(label ?? "") ? (label ?? "").toLowerCase() : (label ?? "");
}

interface Seen {
  answer: Answer;
  by: By;
  by2: By | null;
}

/** Whether units' students are followed from window to window. */
function followed(answer: Answer): boolean {
  return !answer.single && !answer.same_grade;
}

/** The rows, drawn anew only where they or their width change. */
const UnitRows = memo(function UnitRows({ seen, drawn, bar }: { seen: Seen; drawn: number; bar: number }) {
  const { answer, by, by2 } = seen;
  const { open } = usePanel();
  const quoted = answer.quoted?.order ?? 0;
  const moves = followed(answer);
  // Where nobody is followed, a unit has its students of the later window.
  const count = (row: Row) => (moves ? row.counts.matched : row.counts.to);
  const share = (row: Row, side: "from" | "to") => row.bands[quoted - 1]?.[`${side}_at_or_above`];
  const scale = around(answer.movement?.net ?? 0, answer.units_reach ?? 0);
  return (
    <>
      {answer.by.slice(0, drawn).map((row) => {
        const unit = {
          unit: by,
          value: row.value,
          ...(by2 && row.value2 != null ? { unit2: by2, value2: row.value2 } : {}),
        };
        const said = named(row);
        return (
          <tr key={said}>
            <td>
              <UnitName by={by} value={row.value}>
                {said}
              </UnitName>
            </td>
            <td className="num">
              <button type="button" className="open" onClick={() => open(unit)}>
                {count(row) == null ? "withheld" : many(count(row))}
              </button>
            </td>
            <td>
              {!answer.single && (
                <Bar
                  row={row}
                  side="from"
                  width={bar}
                  label={season(answer.from_label)}
                  onOpen={(band) => open({ side: "from", band, ...unit })}
                />
              )}
              <Bar
                row={row}
                side="to"
                width={bar}
                label={season(answer.to_label)}
                onOpen={(band) => open({ side: "to", band, ...unit })}
              />
            </td>
            {!answer.single && (
              <td className="num">
                <button
                  type="button"
                  className="open"
                  {...workedProps(aboveWorked(row, "from", quoted))}
                  onClick={() => open({ side: "from", at_or_above: quoted, ...unit })}
                >
                  {percent(share(row, "from"))}
                </button>
              </td>
            )}
            <td className="num">
              <button
                type="button"
                className="open"
                {...workedProps(aboveWorked(row, "to", quoted))}
                onClick={() => open({ side: "to", at_or_above: quoted, ...unit })}
              >
                {percent(share(row, "to"))}
              </button>
            </td>
            {moves &&
              (["up", "down"] as const).map((way) => (
                <td className="num" key={way}>
                  <button type="button" className="open" onClick={() => open({ moved: way, ...unit })}>
                    {row.movement ? (row.movement[way] == null ? "withheld" : many(row.movement[way])) : 0}
                  </button>
                </td>
              ))}
            {moves && (
              <td className="num">
                <b title={netWorked(row)}>
                  {row.movement?.net == null ? "–" : signed(row.movement.net * 100)}
                </b>
              </td>
            )}
            {moves && (
              <td>
                <Whisker
                  figure={row.compared.net_move}
                  whole={answer.movement?.net}
                  domain={scale}
                  width={96}
                  label={words.netMoveBeside(
                    said,
                    signed((row.compared.net_move?.raw ?? 0) * 100),
                    row.compared.net_move?.different ?? false,
                  )}
                />
              </td>
            )}
          </tr>
        );
      })}
    </>
  );
});

export type UnitColumn = NonNullable<
  NonNullable<operations["compare_api_compare_get"]["parameters"]["query"]>["sort"]
>;

export function Units(props: {
  answer: Answer;
  by: By;
  by2: By | null;
  word: string;
  order: Sorting<UnitColumn>;
  setOrder: (order: Sorting<UnitColumn>) => void;
  /** The button for more rows, given how many units there are. */
  more: (n: number) => ReactNode;
}) {
  const { answer, by, by2, word } = props;
  const [box, width] = useWidth<HTMLDivElement>(1000);
  const header = headerOf(props.order, props.setOrder);
  const moves = followed(answer);
  const worked = useWorkedAmong("[data-worked]", (node) => node.dataset.worked);
  const drawn = useGrowing(answer.by.length, AT_ONCE);
  // Hundreds of rows in another order are drawn between keys and clicks, not before them.
  const calm = useDeferredValue(useMemo(() => ({ answer, by, by2 }), [answer, by, by2]));
  if (!answer.by.length || !answer.bands.length) return null;
  // The other columns take about so much; the bars have what is left.
  const bar = Math.max(110, Math.min(360, width - 770));
  // Two winters are told apart by their years.
  const same = season(answer.from_label) === season(answer.to_label);
  const [first, second] = [answer.from_label, answer.to_label].map((label) => (same ? label : season(label)));
  const above = answer.quoted ? words.atOrAbove3(answer.quoted.band) : "";
  return (
    <div ref={box}>
      {worked.tip}
      {moves && (
        <p className="said">
          {answer.units_said} <How of="units-compared">{words.howUnitsAreCompared}</How>
        </p>
      )}
      <table className="rows units" aria-label={words.by2(word)}>
        <thead>
          <tr>
            {header("value", word.charAt(0).toUpperCase() + word.slice(1))}
            {header("n", moves ? words.withBoth : words.students2, { num: true })}
            <th>{answer.single ? first : words.aboveBelow(first, inside(second))}</th>
            {!answer.single && header("before", `${above}: ${inside(first)}`, { num: true })}
            {header("after", answer.single ? above : inside(second), { num: true })}
            {moves && header("up", words.up, { num: true })}
            {moves && header("down", words.down, { num: true })}
            {moves &&
              header("net", words.netMoveIn100, {
                num: true,
                title: words.movedUpLessMovedDown2,
              })}
            {moves && header("beside", words.besideTheWhole, { title: words.drawnInBySize })}
          </tr>
        </thead>
        <tbody {...worked.handlers}>
          <UnitRows seen={calm} drawn={drawn} bar={bar} />
        </tbody>
      </table>
      {props.more(answer.units_n)}
    </div>
  );
}
