/** Many windows: the cohort's trend, with up to four subgroups laid over and their gaps. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { TrendLines } from "../marks/TrendLines";
import { usePanel } from "../panel/PanelContext";
import { asked, type Scope, writeScope } from "../scope/scope";
import { useChoices } from "../scope/useChoices";
import { How } from "../step/How";
import { Notes, Shown } from "../step/Shown";
import { Choice } from "../ui/Choice";
import { Download } from "../ui/Download";
import { useWidth } from "../ui/useWidth";
import { many, percent, score, signed } from "../words/format";
import { compare as words } from "../words/steps/compare";
import { byWord, useBys } from "./ByChoice";

type Answer = Schemas["TrendAnswer"];
const MOST = 4;

/** Choose a subgroup to lay over: what it goes by, then its value. */
function LayOver(props: { scope: Scope; over: string[]; setOver: (over: string[]) => void }) {
  const choices = useChoices(props.scope).data;
  const [by, setBy] = useState("program");
  const bys = useBys(props.scope);
  const known = choices as unknown as Record<string, string[]> | undefined;
  const values = by.startsWith("field:")
    ? (choices?.fields.find((field) => `field:${field.name}` === by)?.values ?? [])
    : by === "group"
      ? (choices?.group.map((group) => group.name) ?? [])
      : [...(known?.[by] ?? []), ...(by === "program" ? ["none"] : [])];
  return (
    <div className="switches u-above-8">
      <span className="quiet small">{words.laidOver}</span>
      {props.over.map((one) => (
        <button
          key={one}
          type="button"
          className="plain"
          aria-label={words.takeOff(one.split(": ").at(-1))}
          onClick={() => props.setOver(props.over.filter((other) => other !== one))}
        >
          {one.split(": ").at(-1)} ×
        </button>
      ))}
      {props.over.length < MOST && (
        <>
          <select
            className="input u-auto"
            aria-label={words.subgroupBy}
            value={by}
            onChange={(event) => setBy(event.target.value)}
          >
            {bys.map((one) => (
              <option key={one} value={one}>
                {byWord(one)}
              </option>
            ))}
          </select>
          <select
            className="input u-auto"
            aria-label={words.subgroup}
            value=""
            onChange={(event) => props.setOver([...props.over, `${by}: ${event.target.value}`])}
          >
            <option value="">{words.choose}</option>
            {values
              .filter((value) => !props.over.includes(`${by}: ${value}`))
              .map((value) => (
                <option key={value}>{value}</option>
              ))}
          </select>
        </>
      )}
    </div>
  );
}

function Gap({ point }: { point: Schemas["TrendPoint"] }) {
  if (point.gap == null) return point.gap_reason ? <span className="quiet">–</span> : null;
  return (
    <span
      className="quiet small"
      title={words.differenceFromAllOthersWith(
        point.g != null ? `; Hedges' g ${signed(point.g, 2)}: the difference in spreads` : "",
      )}
    >
      {signed(point.gap, 1)}
      {point.gap_low != null && words.to(signed(point.gap_low, 1), signed(point.gap_high, 1))}
    </span>
  );
}

function Numbers({ answer, open }: { answer: Answer; open: (line: number, at: number) => void }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: twelve windows scroll on their own
    <section className="wide-table" tabIndex={0} aria-label={words.numbersOfTheTrend}>
      <table className="rows" aria-label={words.meansAndSharesByWindow}>
        <thead>
          <tr>
            <th>{words.meanAndN}</th>
            {answer.labels.map((label) => (
              <th className="num" key={label}>
                {label}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {answer.lines.map((line, l) => (
            <tr key={line.name}>
              <td>{line.name}</td>
              {line.points.map((point, at) => (
                <td className="num" key={answer.labels[at]}>
                  {point.withheld ? (
                    <span className="quiet" title={words.forAViewThatLeaves}>
                      {words.withheld}
                    </span>
                  ) : point.n ? (
                    <button
                      type="button"
                      className="open"
                      title={words.scoresMedianLowestHighestOr(
                        many(point.n),
                        score(point.median),
                        score(point.lowest),
                        score(point.highest),
                        answer.quoted ?? "",
                        percent(point.above),
                      )}
                      onClick={() => open(l, at)}
                    >
                      {point.mean?.toFixed(1)} <span className="quiet small">{many(point.n)}</span>
                    </button>
                  ) : (
                    "–"
                  )}
                  {l > 0 && (
                    <div>
                      <Gap point={point} />
                    </div>
                  )}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function View(props: {
  answer: Answer;
  scope: Scope;
  over: string[];
  setOver: (over: string[]) => void;
  withhold: number | null;
}) {
  const { answer, scope, over, withhold } = props;
  const { open } = usePanel();
  const [box, width] = useWidth<HTMLDivElement>(900);
  const [what, setWhat] = useState<"mean" | "above">("mean");
  const shares = what === "above" && answer.quoted;
  const lines = answer.lines.map((line) => ({
    name: line.name,
    points: line.points.map((p) =>
      shares
        ? { value: p.above ?? null, low: p.above_low ?? null, high: p.above_high ?? null, n: p.n ?? 0 }
        : { value: p.mean ?? null, low: p.low ?? null, high: p.high ?? null, n: p.n ?? 0 },
    ),
  }));
  const show = (line: number, at: number) => {
    const subgroup = answer.lines[line]?.over;
    open({ at, ...(subgroup ? { over: subgroup } : {}) });
  };
  const query = new URLSearchParams(writeScope(scope));
  for (const one of over) query.append("over", one);
  if (withhold != null) query.set("withhold", String(withhold));
  return (
    <>
      <h1>{answer.headline}</h1>
      <p className="lead">{answer.lead}</p>
      {answer.steady != null && answer.quoted && (
        <p className="quiet small">
          {answer.steady} {words.studentsWereAt} {answer.quoted} {words.orAboveInEachOf}{" "}
          <How of="steady">{words.steady}</How>.
        </p>
      )}
      <div ref={box}>
        <TrendLines
          lines={lines}
          labels={answer.labels}
          width={Math.max(width, 420)}
          height={230}
          say={shares ? (value) => percent(value) : (value) => score(value)}
          onOpen={show}
        />
      </div>
      <div className="switches">
        {answer.quoted && (
          <Choice
            label={words.whatIsDrawn}
            value={what}
            options={[
              ["mean", words.meanScore],
              ["above", words.atOrAbove2(answer.quoted)],
            ]}
            onChange={setWhat}
          />
        )}
        <span className="quiet small">
          <How of="cohorts-and-gaps">{words.whiskers95Range}</How>
        </span>
        <span className="u-push">
          <Download path="compare/trend" query={query.toString()} what={words.theTrend} />
        </span>
      </div>
      <LayOver scope={scope} over={over} setOver={props.setOver} />
      <Numbers answer={answer} open={show} />
      <Notes notes={answer.notes} />
    </>
  );
}

/** ``withhold``: groups of fewer students are withheld; null while the view stays in the classroom. */
export function TrendView({ scope, withhold }: { scope: Scope; withhold: number | null }) {
  const [over, setOver] = useState<string[]>([]);
  const answer = useQuery({
    queryKey: ["trend", scope, over, withhold],
    queryFn: () =>
      got(client.GET("/api/compare/trend", { params: { query: { ...asked(scope), over, withhold } } })),
    placeholderData: (before) => before,
  });
  return (
    <Shown query={answer}>
      {(data) => <View answer={data} scope={scope} over={over} setOver={setOver} withhold={withhold} />}
    </Shown>
  );
}
