/** Cuts and norms of one grade, to see and to edit in place. */
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { setup as words } from "../../words/steps/setup";
import { EditBar } from "../EditBar";
import { useEdited } from "../useEdited";

interface Props {
  test: Schemas["TestAnswer"];
  grade: Schemas["GradeSetup"];
}

const written = (value: number | null | undefined) =>
  value == null ? "–" : value.toFixed(value % 1 ? 1 : 0);

export function CutsTable({ test, grade }: Props) {
  const of = useEdited("cuts");
  const [bands, setBands] = useState<string[]>([]);
  const [cells, setCells] = useState<string[][]>([]);
  const [season, setSeason] = useState<(string | null)[]>([]);
  const begin = () => {
    setBands(grade.bands.length ? grade.bands : ["Lower", "Upper"]);
    setSeason(grade.cuts.length ? grade.cuts.map((cut) => cut.season ?? null) : [null]);
    setCells(grade.cuts.length ? grade.cuts.map((cut) => cut.kept.map(String)) : [[""]]);
  };
  const rows = () =>
    season.flatMap((one, at) =>
      bands.map((band, order) => {
        const low = order === 0 ? "" : (cells[at]?.[order - 1] ?? "").trim();
        const percentiles = grade.cuts[at]?.from_percentiles ?? false;
        return {
          assessment: test.assessment,
          subject: test.subject,
          grade: grade.grade,
          season: one ?? "",
          band: band.trim(),
          order: String(order + 1),
          min_score: percentiles ? "" : low,
          min_percentile: percentiles ? low : "",
          purpose: "performance",
        };
      }),
    );
  return (
    <>
      <table className="rows" aria-label={words.cuts}>
        <thead>
          <tr>
            <th>{of.editing ? words.bands : words.lowestScoreOf}</th>
            {(of.editing ? bands : grade.bands.slice(1)).map((band, at) =>
              of.editing ? (
                // biome-ignore lint/suspicious/noArrayIndexKey: a band being renamed stays in its place
                <th key={at} className="num">
                  <input
                    className="input narrow small"
                    aria-label={words.nameOfBand(at + 1)}
                    value={band}
                    onChange={(event) =>
                      setBands(bands.map((one, place) => (place === at ? event.target.value : one)))
                    }
                  />
                </th>
              ) : (
                <th key={band} className="num">
                  {band}
                </th>
              ),
            )}
          </tr>
        </thead>
        <tbody>
          {of.editing
            ? season.map((one, at) => (
                <tr key={one ?? "year-end"}>
                  <td>
                    {one ?? "year-end"}
                    {grade.cuts[at]?.from_percentiles && <span className="quiet"> {words.percentiles}</span>}
                  </td>
                  <td className="num quiet">{words.lowest}</td>
                  {bands.slice(1).map((band, place) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: a band being renamed stays in its place
                    <td key={place} className="num">
                      <input
                        className="input narrow small"
                        aria-label={words.lowestOf(one ?? "year-end", band)}
                        value={cells[at]?.[place] ?? ""}
                        onChange={(event) =>
                          setCells(
                            cells.map((row, line) =>
                              line === at
                                ? row.map((cell, spot) => (spot === place ? event.target.value : cell))
                                : row,
                            ),
                          )
                        }
                      />
                    </td>
                  ))}
                </tr>
              ))
            : grade.cuts.map((cut) => (
                <tr key={cut.season ?? "year-end"}>
                  <td>
                    {cut.season ?? "year-end"}
                    {cut.from_percentiles && <span className="quiet"> {words.byPercentile}</span>}
                  </td>
                  {cut.lows.map((low, at) => (
                    <td key={grade.bands[at + 1]} className="num">
                      {written(low)}
                    </td>
                  ))}
                </tr>
              ))}
        </tbody>
      </table>
      <EditBar what={words.cuts2} of={of} rows={rows} onEdit={begin} />
    </>
  );
}

type NormRow = { season: string; week: string; mean: string; sd: string };

export function NormsTable({ test, grade }: Props) {
  const of = useEdited("norms");
  const [norms, setNorms] = useState<NormRow[]>([]);
  const begin = () =>
    setNorms(
      grade.norms.map((one) => ({
        season: one.season,
        week: one.weekless ? "" : String(one.week),
        mean: String(one.mean),
        sd: String(one.sd),
      })),
    );
  const change = (at: number, name: keyof NormRow, value: string) =>
    setNorms(norms.map((one, place) => (place === at ? { ...one, [name]: value } : one)));
  const rows = () =>
    norms.map((one) => ({
      assessment: test.assessment,
      subject: test.subject,
      grade: grade.grade,
      season: one.season.trim(),
      week: one.week.trim(),
      mean: one.mean.trim(),
      sd: one.sd.trim(),
    }));
  return (
    <>
      <table className="rows u-above-14" aria-label={words.norms}>
        <thead>
          <tr>
            <th>{words.norm}</th>
            <th className="num">{words.week}</th>
            <th className="num">{words.mean}</th>
            <th className="num">{words.spread}</th>
          </tr>
        </thead>
        <tbody>
          {of.editing
            ? norms.map((one, at) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: rows are neither sorted nor removed while edited
                <tr key={at}>
                  <td>
                    {at < grade.norms.length ? (
                      one.season
                    ) : (
                      <select
                        className="input narrow small"
                        aria-label={words.seasonOfRow(at + 1)}
                        value={one.season}
                        onChange={(event) => change(at, "season", event.target.value)}
                      >
                        {["fall", "winter", "spring"].map((season) => (
                          <option key={season}>{season}</option>
                        ))}
                      </select>
                    )}
                  </td>
                  {(["week", "mean", "sd"] as const).map((name) => (
                    <td key={name} className="num">
                      {name === "week" && at < grade.norms.length ? (
                        one.week || "–"
                      ) : (
                        <input
                          className="input narrow small"
                          aria-label={words.ofRow(name === "sd" ? "spread" : name, at + 1)}
                          value={one[name]}
                          onChange={(event) => change(at, name, event.target.value)}
                        />
                      )}
                    </td>
                  ))}
                </tr>
              ))
            : grade.norms.map((point) => (
                <tr key={`${point.season} ${point.week}`}>
                  <td>{point.season}</td>
                  <td className="num">{point.weekless ? "–" : point.week}</td>
                  <td className="num">{point.mean.toFixed(1)}</td>
                  <td className="num">{point.sd.toFixed(1)}</td>
                </tr>
              ))}
        </tbody>
      </table>
      {of.editing && (
        <button
          type="button"
          className="word"
          onClick={() => setNorms([...norms, { season: "fall", week: "", mean: "", sd: "" }])}
        >
          {words.oneRowMore}
        </button>
      )}
      <EditBar what={words.norms2} of={of} rows={rows} onEdit={begin} />
    </>
  );
}
