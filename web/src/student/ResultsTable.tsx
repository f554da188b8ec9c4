/** The figures under the axis: every result, with what was set aside as such. */
import { useMemo, useState } from "react";
import type { Schemas } from "../api/client";
import { sorted, useSorting } from "../ui/lists/sorting";
import { day, score, signed } from "../words/format";
import { student as words } from "../words/steps/student";
import css from "./student.module.css";

type Row = Schemas["ResultRow"];
type Column =
  | "title"
  | "window"
  | "on"
  | "score"
  | "percentile"
  | "band"
  | "norm_mean"
  | "district_mean"
  | "since_before"
  | "minutes";

export function ResultsTable({ rows }: { rows: Row[] }) {
  const { by, header } = useSorting<Column>({ key: "on", down: true });
  const [test, setTest] = useState("");
  const [parts, setParts] = useState(false);
  const bases = useMemo(() => [...new Set(rows.flatMap((row) => row.basis ?? []))], [rows]);
  const tests = useMemo(() => [...new Set(rows.map((row) => row.title))], [rows]);
  const shown = useMemo(
    () =>
      sorted(
        rows.filter((row) => !test || row.title === test),
        by,
        (row, key) => row[key],
      ),
    [rows, by, test],
  );
  if (!rows.length) return <p className="quiet">{words.noResults}</p>;
  return (
    <section className={`wide-table ${css.results}`}>
      {rows.some((row) => row.parts || row.scales) && (
        <label className="small quiet">
          <input type="checkbox" checked={parts} onChange={() => setParts(!parts)} /> {words.withParts}
        </label>
      )}{" "}
      {tests.length > 1 && (
        <label className="small quiet">
          {words.test}{" "}
          <select className="input" value={test} onChange={(event) => setTest(event.target.value)}>
            <option value="">{words.allTests(tests.length)}</option>
            {tests.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </label>
      )}
      <table className="rows">
        <caption className="unseen">{words.results}</caption>
        <thead>
          <tr>
            {header("title", words.test)}
            {header("window", words.window)}
            {header("on", words.tested)}
            {header("score", words.points, { num: true })}
            {header("percentile", words.rank, { num: true, title: words.rankMeans })}
            {header("band", words.band)}
            {header("norm_mean", words.normMean, { num: true, title: words.normMeanMeans })}
            {header("district_mean", words.districtMean, { num: true, title: words.districtMeanMeans })}
            {header("since_before", words.since, { num: true, title: words.sinceMeans })}
            {header("minutes", words.minutes, { num: true })}
            <th>{words.accommodations}</th>
            <th>{words.state}</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((row) => (
            <tr key={row.id} className={row.state ? "quiet" : undefined}>
              <td className="wraps">
                {row.title}
                {row.language && row.language !== "English" && (
                  <span className="quiet"> · {row.language}</span>
                )}
                {parts && (row.parts || row.scales) && (
                  <div className="quiet small">{[row.parts, row.scales].filter(Boolean).join("; ")}</div>
                )}
              </td>
              <td>{row.window}</td>
              <td>{day(row.on)}</td>
              <td className="num">
                {score(row.score)}
                {row.low != null && row.high != null && (
                  <span className="quiet small">
                    {" "}
                    {score(row.low)}–{score(row.high)}
                  </span>
                )}
              </td>
              <td className="num">{score(row.percentile)}</td>
              <td>{row.band}</td>
              <td className="num">{score(row.norm_mean)}</td>
              <td className="num">{score(row.district_mean)}</td>
              <td className="num">{signed(row.since_before)}</td>
              <td className="num">{score(row.minutes)}</td>
              <td className="wraps">{row.accommodations}</td>
              <td className="wraps">{[row.state, row.why].filter(Boolean).join(": ")}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {bases.length > 0 && <p className="quiet small">{words.percentilesBy(bases.join("; "))}</p>}
    </section>
  );
}
