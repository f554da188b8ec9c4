/** Growth of each school, grade, class, teacher or program beside the whole. */
import { useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../api/client";
import { believable, Whisker, whiskerDomain } from "../marks/Whisker";
import { usePanel } from "../panel/PanelContext";
import { asked, type By, type Scope } from "../scope/scope";
import { How } from "../step/How";
import { Shown } from "../step/Shown";
import { UnitName } from "../step/UnitName";
import { sorted, useSorting } from "../ui/lists/sorting";
import { useFirst } from "../ui/lists/useFirst";
import { useWidth } from "../ui/useWidth";
import { many, percent, signed } from "../words/format";
import { growth as words } from "../words/steps/growth";

type Answer = Schemas["GrowthUnits"];
type Row = Schemas["GrowthUnit"];
type Key = "value" | "n" | "met" | "distance";

const SHOWN = 100;
const MORE = 100;

function Table({ answer, by }: { answer: Answer; by: By }) {
  const { open } = usePanel();
  const [box, width] = useWidth<HTMLDivElement>(1000);
  const { by: order, header } = useSorting<Key>({ key: "distance", down: false });
  const value = (row: Row, key: Key) =>
    ({
      value: row.value,
      n: row.n,
      met: row.met_share ? believable(row.met_share) : null,
      distance: row.mean_gain_z ? believable(row.mean_gain_z) : null,
    })[key];
  const rows = sorted(answer.rows, order, value);
  const [shown, more] = useFirst(rows.length, SHOWN, MORE);
  const scale = whiskerDomain(
    rows.map((row) => row.mean_gain_z),
    answer.mean_gain_z,
  );
  const shares = whiskerDomain(
    rows.map((row) => row.met_share),
    answer.met_share,
  );
  const mark = Math.max(110, Math.min(240, (width - 520) / 2));
  return (
    <div ref={box}>
      {answer.said && <p className="said">{answer.said}</p>}
      <table className="rows units" aria-label={words.growthByUnit}>
        <thead>
          <tr>
            {header("value", words.unit)}
            {header("n", words.students, { num: true })}
            <th>
              <How of="units-compared">{words.meanDistanceFromExpected}</How>
            </th>
            {header("distance", words.distance, { num: true })}
            <th>{words.metExpectedGrowth}</th>
            {header("met", words.met, { num: true })}
            <th>{words.besideTheRest}</th>
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, shown).map((row) => (
            <tr key={row.value}>
              <td>
                <UnitName by={by} value={row.value}>
                  {row.value}
                </UnitName>
              </td>
              <td className="num">
                <button type="button" className="open" onClick={() => open({ unit: by, value: row.value })}>
                  {many(row.n)}
                </button>
              </td>
              <td>
                <Whisker
                  figure={row.mean_gain_z}
                  whole={answer.mean_gain_z}
                  domain={scale}
                  width={mark}
                  label={words.unitDistance(row.value, signed(row.mean_gain_z?.raw, 2))}
                />
              </td>
              <td className="num">{signed(row.mean_gain_z?.raw, 2)}</td>
              <td>
                <Whisker
                  figure={row.met_share}
                  whole={answer.met_share}
                  domain={shares}
                  width={mark}
                  label={words.unitMet(row.value, percent(row.met_share?.raw))}
                />
              </td>
              <td className="num">
                <button
                  type="button"
                  className="open"
                  onClick={() => open({ unit: by, value: row.value, met: true })}
                >
                  {percent(row.met_share?.raw)}
                </button>
              </td>
              <td className="quiet">
                {row.mean_gain_z?.different || row.met_share?.different
                  ? words.differentBeyondChance
                  : words.couldBeChance}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {more}
      <p className="aside">{words.theLineIsTheWhole}</p>
    </div>
  );
}

export function GrowthUnits({ scope, by }: { scope: Scope; by: By }) {
  const answer = useQuery({
    queryKey: ["growth", "units", scope, by],
    queryFn: () => got(client.GET("/api/growth/units", { params: { query: { ...asked(scope), by } } })),
    placeholderData: (before) => before,
  });
  return <Shown query={answer}>{(data) => <Table answer={data} by={by} />}</Shown>;
}
