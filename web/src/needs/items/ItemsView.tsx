/** Items of a common test: what looks wrong, who chose what, the answers, and putting an item right. */

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { useMe } from "../../people/me";
import { useScope } from "../../scope/ScopeContext";
import { asked, forMeasure, type Scope, writeScope } from "../../scope/scope";
import { useChoices } from "../../scope/useChoices";
import { Done } from "../../step/Done";
import { Fault } from "../../step/Fault";
import { Notes, Shown } from "../../step/Shown";
import { useAct } from "../../step/useAct";
import { useStepParam } from "../../step/useStepParam";
import { Choice } from "../../ui/Choice";
import { Download } from "../../ui/Download";
import { PrintButton } from "../../ui/PrintButton";
import { day, percent, students } from "../../words/format";
import { needs as words } from "../../words/steps/needs";
import { AnswersGrid } from "./AnswersGrid";
import { type Grouping, ItemTable } from "./ItemTable";
import css from "./items.module.css";
import { MendItem } from "./MendItem";

type Answer = Schemas["ItemsStep"];
type Unit = "section" | "school" | "teacher" | "program";

/** The common tests to choose from, those of the sentence's subject first. */
function Tests({ scope }: { scope: Scope }) {
  const { change } = useScope();
  const tests = (useChoices(scope).data?.measures ?? []).filter((one) => one.common);
  const mine = (one: { subject: string }) => Number(one.subject !== scope.subject);
  return (
    <div className="empty">
      <h1>{words.noTest}</h1>
      <p>{words.noTestLead}</p>
      {tests.length > 0 && (
        <>
          <h2>{words.tests}</h2>
          <ul className={css.tests}>
            {[...tests]
              .sort((a, b) => mine(a) - mine(b))
              .map((one) => (
                <li key={one.assessment}>
                  <button type="button" className="open" onClick={() => change(forMeasure(scope, one))}>
                    {one.title}
                  </button>{" "}
                  <span className="quiet small">{students(one.n)}</span>
                </li>
              ))}
          </ul>
        </>
      )}
    </div>
  );
}

function Units({ answer, by }: { answer: Answer; by: Unit }) {
  const name = {
    section: words.section,
    school: words.school,
    teacher: words.teacher,
    program: words.program,
  }[by];
  return (
    <table className="rows u-narrow u-above-14">
      <thead>
        <tr>
          <th>{name}</th>
          <th className="num">{words.students}</th>
          <th className="num">{words.mean}</th>
          <th className="num">{words.share}</th>
        </tr>
      </thead>
      <tbody>
        {answer.units.map((unit) => (
          <tr key={unit.value}>
            <td>{unit.value}</td>
            <td className="num">{unit.n}</td>
            <td className="num">
              {unit.mean.toFixed(1)} {words.of(answer.possible)}
            </td>
            <td className="num">{percent(unit.share)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Mends({ answer }: { answer: Answer }) {
  if (!answer.mends.length) return null;
  return (
    <section className="u-above-14">
      <h2>{words.history}</h2>
      <ul className="u-indented u-no-margin">
        {answer.mends.map((one) => (
          <li key={one.id} className={one.state === "undone" ? "quiet" : undefined}>
            {one.said}. <span className="quiet">{words.byOn(one.by ?? "–", day(one.on))}</span>
            {one.state === "undone" && ` (${words.undone})`}
          </li>
        ))}
      </ul>
    </section>
  );
}

export function ItemsView({ scope }: { scope: Scope }) {
  const me = useMe();
  const act = useAct("item");
  const choices = useChoices(scope);
  const [mode, setMode] = useStepParam("look");
  const [grouping, setGrouping] = useState<Grouping>("item");
  const [by, setBy] = useState<Unit>("section");
  const [lowest, setLowest] = useState(false);
  const [mending, setMending] = useState<Schemas["ItemRow"] | null>(null);
  const [done, setDone] = useState<{ said: string; act: number } | null>(null);
  const common = choices.data?.measures.find(
    (one) => one.assessment === scope.assessment && one.subject === scope.subject,
  )?.common;
  const answer = useQuery({
    queryKey: ["needs", "items", scope, by, lowest],
    queryFn: () =>
      got(client.GET("/api/needs/items", { params: { query: { ...asked(scope), by, lowest } } })),
    enabled: Boolean(common),
    placeholderData: (before) => before,
  });
  if (choices.data && !common) return <Tests scope={scope} />;
  const query = writeScope(scope);
  if (lowest) query.set("lowest", "true");
  const answers = mode === "answers";
  return (
    <Shown query={answer}>
      {(data) => (
        <>
          <h1>{data.headline}</h1>
          <p className="lead">{data.lead}</p>
          <div role="status" aria-live="polite">
            <Done
              said={done?.said ?? act.said}
              act={done?.act ?? null}
              undo={(key) => act.undo(key).then(() => setDone(null))}
            />
          </div>
          <Fault said={act.fault?.message} />
          <div className="switches">
            <Choice
              label={words.waysToLook}
              value={answers}
              options={[
                [false, words.itemsWord],
                [true, words.answers],
              ]}
              onChange={(on) => setMode(on ? "answers" : null)}
            />
            {!answers && (
              <Choice<Grouping>
                label={words.grouped}
                value={grouping}
                options={[
                  ["item", words.byItem],
                  ["standard", words.byStandard],
                  ["strand", words.byStrand],
                ]}
                onChange={setGrouping}
              />
            )}
            <label>
              <input type="checkbox" checked={lowest} onChange={(event) => setLowest(event.target.checked)} />{" "}
              {words.lowestFifth}
            </label>
            {data.alpha != null && (
              <span className="quiet" title={words.alphaTitle}>
                {words.alpha(data.alpha.toFixed(2))}
              </span>
            )}
            <span className="u-at-end">
              <Download path="needs/items" query={query.toString()} what={words.theItems} named />
              {me.may_export && (
                <Download path="needs/items/answers" query={query.toString()} what={words.theAnswers} named />
              )}
              <PrintButton />
            </span>
          </div>
          {data.options_withheld && <p className="aside">{words.withheldOptions}</p>}
          {answers ? (
            <AnswersGrid scope={scope} lowest={lowest} />
          ) : (
            <>
              <ItemTable answer={data} by={grouping} lowest={lowest} onMend={setMending} />
              <div className="switches">
                <span className="quiet">{words.units}</span>
                <Choice<Unit>
                  label={words.units}
                  value={by}
                  options={[
                    ["section", words.section],
                    ["school", words.school],
                    ["teacher", words.teacher],
                    ["program", words.program],
                  ]}
                  onChange={setBy}
                />
              </div>
              <Units answer={data} by={by} />
            </>
          )}
          <Mends answer={data} />
          <Notes notes={data.notes} />
          {mending && (
            <MendItem
              test={data.test}
              row={mending}
              onClose={() => setMending(null)}
              onDone={(said, key) => {
                setMending(null);
                setDone({ said, act: key });
              }}
            />
          )}
        </>
      )}
    </Shown>
  );
}
