/** Growth: did they grow as much as could be expected? */

import { useQuery } from "@tanstack/react-query";
import { useCallback } from "react";
import { client, got, type Schemas } from "../api/client";
import { How } from "../figures/How";
import { Download } from "../look/Download";
import { Notes, Shown } from "../look/Shown";
import { useWidth } from "../look/useWidth";
import { Field } from "../marks/Field";
import { usePanel } from "../panel/PanelContext";
import { useMe } from "../people/me";
import { usePins } from "../pins/PinContext";
import { useScope } from "../scope/ScopeContext";
import { asked, type Scope, writeScope } from "../scope/scope";
import { percent, rank } from "../words/format";
import { Lanes } from "./Lanes";

type Answer = Schemas["GrowthAnswer"];
type Row = Schemas["StudentRow"];

function Facts({ answer }: { answer: Answer }) {
  const { open } = usePanel();
  const { growth } = answer;
  if (answer.still_to_come) return null;
  return (
    <dl className="facts">
      <div>
        <dt>
          <How of="met-and-the-verdict">Met expected growth</How>
        </dt>
        <dd>
          <button type="button" className="open" onClick={() => open({ met: true })}>
            {percent(growth.met_share)}
          </button>{" "}
          <small>
            {growth.met_n} of {growth.n}
          </small>
        </dd>
      </div>
      <div>
        <dt>
          <How
            of="growth-percentile"
            title="Half of these students grew faster than this many in 100 students who started like them; how this is worked out"
          >
            Median growth percentile
          </How>
        </dt>
        <dd>{rank(growth.median_growth_percentile)}</dd>
      </div>
      <div>
        <dt>
          <How of="met-and-the-verdict">Clearly below</How>, beyond test error
        </dt>
        <dd>
          <button type="button" className="open" onClick={() => open({ verdict: "clearly_below" })}>
            {answer.clearly_below}
          </button>
        </dd>
      </div>
      <div>
        <dt>Clearly above</dt>
        <dd>
          <button type="button" className="open" onClick={() => open({ verdict: "clearly_above" })}>
            {answer.clearly_above}
          </button>
        </dd>
      </div>
    </dl>
  );
}

function View({ answer, scope }: { answer: Answer; scope: Scope }) {
  const { open, openStudent } = usePanel();
  const { has, act } = usePins();
  const me = useMe();
  const [box, width] = useWidth<HTMLDivElement>(352);
  const onRegion = useCallback(
    (rows: Row[]) =>
      act({ type: "add", students: rows.map((row) => ({ id: row.student_id, name: row.name })) }),
    [act],
  );
  const onOpen = useCallback(
    (row: Row) => openStudent({ id: row.student_id, name: row.name }),
    [openStudent],
  );
  return (
    <>
      <div className="top">
        <div>
          <h1>{answer.headline}</h1>
          <p className="lead">{answer.lead}</p>
          <Facts answer={answer} />
          {answer.aside && (
            <p className="aside">
              {answer.aside}{" "}
              <button type="button" className="word" onClick={() => open({ kept_pace_low: true })}>
                See who
              </button>
            </p>
          )}
        </div>
        {!answer.still_to_come && (answer.growth.n ?? 0) > 0 && (
          <div className="fig" ref={box}>
            <p>
              <How of="distance-from-expected">Distance from expected</How> by starting{" "}
              <How of="percentile">percentile</How>
              {answer.belt != null && "; belt: test error"}
            </p>
            <Field
              rows={answer.rows}
              bands={answer.bands.length}
              belt={answer.belt}
              pinned={has}
              onRegion={onRegion}
              onOpen={onOpen}
              width={width}
              height={172}
            />
          </div>
        )}
      </div>
      {answer.rows.length > 0 && <Lanes answer={answer} />}
      <div className="switches">
        <Notes notes={answer.notes} />
        {me.may_export && (
          <span style={{ marginLeft: "auto" }}>
            <Download path="behind" query={writeScope(scope).toString()} what="all students" />
          </span>
        )}
      </div>
    </>
  );
}

export function GrowthPage() {
  const { scope } = useScope();
  const answer = useQuery({
    queryKey: ["growth", scope],
    queryFn: () => got(client.GET("/api/growth", { params: { query: asked(scope as Scope) } })),
    enabled: Boolean(scope),
    placeholderData: (before) => before,
  });
  if (!scope) return null;
  return <Shown query={answer}>{(data) => <View answer={data} scope={scope} />}</Shown>;
}
