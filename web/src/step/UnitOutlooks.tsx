/** What is expected of each unit at a window to come: the share with its 80 % range, beside that of everybody. */
import type { Schemas } from "../api/client";
import { believable, Whisker, whiskerDomain } from "../marks/Whisker";
import type { By } from "../scope/scope";
import { sorted, useSorting } from "../ui/lists/sorting";
import { useFirst } from "../ui/lists/useFirst";
import { step as words } from "../words/around/step";
import { many, percent } from "../words/format";
import { UnitName } from "./UnitName";

type Answer = Schemas["UnitOutlooks"];
type Row = Schemas["UnitOutlook"];
type Key = "value" | "n" | "share";

const SHOWN = 100;
const MORE = 200;

/** ``onOpen`` opens a unit's students. */
export function UnitOutlooks(props: { answer: Answer; by: By; onOpen: (value: string) => void }) {
  const { answer, by, onOpen } = props;
  const { by: order, header } = useSorting<Key>({ key: "share", down: false });
  const value = (row: Row, key: Key) => ({ value: row.value, n: row.n, share: believable(row.figure) })[key];
  const [shown, more] = useFirst(answer.rows.length, SHOWN, MORE);
  if (answer.rows.length === 0) return <p className="quiet">{words.noUnitCanBeTold}</p>;
  const domain = whiskerDomain(
    answer.rows.map((row) => row.figure),
    answer.whole,
  );
  return (
    <>
      <table className="rows units" aria-label={words.outlookByUnit}>
        <thead>
          <tr>
            {header("value", words.unit)}
            {header("n", words.students, { num: true })}
            <th>{words.expectedAtOrAbove(answer.band)}</th>
            {header("share", words.expectedShare, { num: true })}
            <th className="num">{words.eightTimesInTen}</th>
          </tr>
        </thead>
        <tbody>
          {sorted(answer.rows, order, value)
            .slice(0, shown)
            .map((row) => (
              <tr key={row.value}>
                <td>
                  <UnitName by={by} value={row.value}>
                    {row.value}
                  </UnitName>
                </td>
                <td className="num">
                  <button type="button" className="open" onClick={() => onOpen(row.value)}>
                    {many(row.n)}
                  </button>
                </td>
                <td>
                  <Whisker
                    figure={row.figure}
                    whole={answer.whole}
                    domain={domain}
                    width={240}
                    label={words.unitExpected(row.value, percent(row.figure.raw), answer.band)}
                  />
                </td>
                <td className="num">{percent(row.figure.raw)}</td>
                <td className="num quiet">
                  {percent(row.figure.low)}–{percent(row.figure.high)}
                </td>
              </tr>
            ))}
        </tbody>
      </table>
      {more}
      <p className="aside">{words.theLineIsEverybody}</p>
    </>
  );
}
