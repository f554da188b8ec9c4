/** Compare: where do students stand, and what moved between windows? */

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { How } from "../figures/How";
import { Download } from "../look/Download";
import { Notes, Shown } from "../look/Shown";
import { useWidth } from "../look/useWidth";
import { BandMark } from "../marks/BandMark";
import { Flow } from "../marks/Flow";
import { usePanel } from "../panel/PanelContext";
import { useScope } from "../scope/ScopeContext";
import { asked, BY, type By, type Scope, writeScope } from "../scope/scope";
import { percent, season, signed } from "../words/format";
import { Units } from "./Units";

type Answer = Schemas["CompareAnswer"];

const BY_WORDS: Record<By, string> = {
  school: "school",
  grade: "grade",
  section: "class",
  teacher: "teacher",
  language: "language",
  program: "program",
};

function Choice<T extends string | boolean>(props: {
  label: string;
  value: T;
  options: [T, string][];
  onChange: (value: T) => void;
}) {
  return (
    <fieldset className="choice" aria-label={props.label} style={{ padding: 0, margin: 0 }}>
      {props.options.map(([value, label]) => (
        <button
          key={label}
          type="button"
          aria-pressed={props.value === value}
          onClick={() => props.onChange(value)}
        >
          {label}
        </button>
      ))}
    </fieldset>
  );
}

function Shares({ answer }: { answer: Answer }) {
  const { open } = usePanel();
  const names = answer.bands.map((row) => row.band);
  const labels = [season(answer.from_label), season(answer.to_label)];
  return (
    <table className="rows" aria-label="Shares in each band">
      <thead>
        <tr>
          <th>Band</th>
          <th className="num">{labels[0]}</th>
          <th className="num">{labels[1]}</th>
          <th className="num" title="Share of students in this band or a higher one">
            At or above
          </th>
        </tr>
      </thead>
      <tbody>
        {[...answer.bands].reverse().map((row) => (
          <tr key={row.order}>
            <td>
              <BandMark order={row.order} bands={names} named />
            </td>
            {(["from", "to"] as const).map((side) => (
              <td className="num" key={side}>
                <button
                  type="button"
                  className="open"
                  title={`Range 95 %: ${percent(row[`${side}_low`])} to ${percent(row[`${side}_high`])}`}
                  onClick={() => open({ side, band: row.order })}
                >
                  {percent(row[`${side}_share`])} <span className="quiet small">{row[`${side}_n`]}</span>
                </button>
              </td>
            ))}
            <td className="num">
              <button
                type="button"
                className="open"
                onClick={() => open({ side: "from", at_or_above: row.order })}
              >
                {percent(row.from_at_or_above)}
              </button>
              <span className="quiet"> → </span>
              <button
                type="button"
                className="open"
                onClick={() => open({ side: "to", at_or_above: row.order })}
              >
                {percent(row.to_at_or_above)}
              </button>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Facts({ answer }: { answer: Answer }) {
  const { open } = usePanel();
  const { quoted, movement } = answer;
  return (
    <dl className="facts">
      {quoted && (
        <div>
          <dt>
            <How of="shares">At {quoted.band} or above</How>
          </dt>
          <dd>
            <button
              type="button"
              className="open"
              onClick={() => open({ side: "to", at_or_above: quoted.order })}
            >
              {percent(quoted.to_share)}
            </button>{" "}
            <small>
              {quoted.to_n} now · {percent(quoted.from_share)}, {quoted.from_n} before
            </small>
          </dd>
        </div>
      )}
      {movement &&
        (["up", "down"] as const).map((way) => (
          <div key={way}>
            <dt>
              <How of="movement">Moved {way}</How>
            </dt>
            <dd>
              <button type="button" className="open" onClick={() => open({ moved: way })}>
                {movement[way]}
              </button>
            </dd>
          </div>
        ))}
      {movement?.net != null && (
        <div>
          <dt>
            <How
              of="movement"
              title="Moved up less moved down, per hundred students with both results; how this is worked out"
            >
              Net move
            </How>
          </dt>
          <dd>
            {signed(movement.net * 100)} <small>in 100</small>
          </dd>
        </div>
      )}
      <div>
        <dt>
          <How of="bands-and-cuts">Close to a cut</How>
        </dt>
        <dd>
          <button type="button" className="open" onClick={() => open({ near_cut: true })}>
            {answer.near_cut}
          </button>
        </dd>
      </div>
    </dl>
  );
}

function View({
  answer,
  scope,
  by,
  setBy,
}: {
  answer: Answer;
  scope: Scope;
  by: By;
  setBy: (by: By) => void;
}) {
  const { change, reset } = useScope();
  const { open } = usePanel();
  const [box, width] = useWidth<HTMLDivElement>(560);
  const flowing = answer.movement && answer.bands.length > 0 && answer.from_n > 0 && answer.to_n > 0;
  if (!answer.from_n && !answer.to_n) {
    return (
      <div className="empty">
        <h1>{answer.headline}</h1>
        <p>{answer.lead}</p>
        <button type="button" className="plain" onClick={reset}>
          Back to the first choice
        </button>
      </div>
    );
  }
  return (
    <>
      <h1>{answer.headline}</h1>
      <p className="lead">{answer.lead}</p>
      <div className="compare">
        <div ref={box}>
          {flowing && answer.movement ? (
            <Flow
              bands={answer.bands}
              movement={answer.movement}
              labels={[answer.from_label, answer.to_label]}
              width={Math.max(width, 380)}
              height={268}
              onOpen={open}
            />
          ) : (
            <p className="aside">
              There is nothing to draw:{" "}
              {answer.bands.length ? "nobody has a result in both windows" : "this test has no cuts yet"}.
            </p>
          )}
        </div>
        <div>
          {answer.bands.length > 0 && (
            <>
              <Facts answer={answer} />
              <Shares answer={answer} />
            </>
          )}
          {answer.shift && (
            <p className="quiet small" style={{ marginTop: 8 }}>
              {answer.shift}
            </p>
          )}
        </div>
      </div>
      <div className="switches">
        <Choice
          label="Cuts"
          value={scope.cuts}
          options={[
            ["season", "season cut"],
            ["year-end", "year-end cut"],
          ]}
          onChange={(cuts) => change({ cuts })}
        />
        <Choice
          label="Whom the shares stand on"
          value={scope.matched}
          options={[
            [true, "both results"],
            [false, "all with a result"],
          ]}
          onChange={(matched) => change({ matched })}
        />
        <label>
          by{" "}
          <select
            className="input"
            style={{ width: "auto" }}
            value={by}
            onChange={(event) => setBy(event.target.value as By)}
          >
            {BY.map((one) => (
              <option key={one} value={one}>
                {BY_WORDS[one]}
              </option>
            ))}
          </select>
        </label>
        <span style={{ marginLeft: "auto" }}>
          <Download path="compare" query={`${writeScope(scope)}&by=${by}`} what="shares and movement" />
        </span>
      </div>
      <Units answer={answer} by={by} word={BY_WORDS[by]} />
      <Notes notes={answer.notes} />
    </>
  );
}

/** The breakdown that tells most: classes of one grade, grades of one school, else schools. */
function firstBy(scope: Scope): By {
  if (scope.section.length || scope.teacher.length || scope.group.length) return "program";
  if (scope.grade.length === 1) return "section";
  return scope.school.length === 1 ? "grade" : "school";
}

export function ComparePage() {
  const { scope } = useScope();
  const [chosen, setBy] = useState<By | null>(null);
  const by = chosen ?? (scope ? firstBy(scope) : "school");
  const answer = useQuery({
    queryKey: ["compare", scope, by],
    queryFn: () => got(client.GET("/api/compare", { params: { query: { ...asked(scope as Scope), by } } })),
    enabled: Boolean(scope),
    placeholderData: (before) => before,
  });
  if (!scope) return null;
  return <Shown query={answer}>{(data) => <View answer={data} scope={scope} by={by} setBy={setBy} />}</Shown>;
}
