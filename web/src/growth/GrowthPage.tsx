/** Growth: did they grow as much as could be expected? */

import { useQuery } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { Field, MOST, type Region } from "../marks/Field";
import { usePanel } from "../panel/PanelContext";
import { useMe } from "../people/me";
import { usePins } from "../pins/PinContext";
import { useScope } from "../scope/ScopeContext";
import { asked, type Scope, writeScope } from "../scope/scope";
import { How } from "../step/How";
import { NothingHere } from "../step/NothingHere";
import { type Rows, RowsChoice } from "../step/RowsChoice";
import { Notes, Shown } from "../step/Shown";
import { Download } from "../ui/Download";
import { PRINTED, PrintButton, usePrinted } from "../ui/PrintButton";
import { useWidth } from "../ui/useWidth";
import { Worked } from "../ui/Worked";
import { many, percent, rank } from "../words/format";
import { growth as words } from "../words/steps/growth";
import { GrowthUnits } from "./GrowthUnits";
import { Lanes } from "./Lanes";
import { NormTable } from "./NormTable";
import { OutlookFacts, OutlookFigure, OutlookUnits, useOutlook } from "./Outlook";
import { TargetMark } from "./TargetMark";

type Answer = Schemas["GrowthAnswer"];

function Facts({ answer, scope }: { answer: Answer; scope: Scope }) {
  const { open } = usePanel();
  const { growth, explained } = answer;
  if (answer.still_to_come || !growth.n) return null;
  return (
    <dl className="facts">
      <div>
        <dt>
          <How of="met-and-the-verdict">
            {answer.summer ? words.keptWhatWasExpected : words.metExpectedGrowth}
          </How>
        </dt>
        <dd>
          <Worked text={explained.met}>
            <button type="button" className="open" onClick={() => open({ met: true })}>
              {percent(growth.met_share)}
            </button>
          </Worked>{" "}
          <small>
            {many(growth.met_n)} {words.of} {many(growth.n)}
          </small>
        </dd>
      </div>
      <div>
        <dt>
          <How of="growth-percentile" title={words.halfOfTheseStudentsGrew}>
            {words.medianGrowthPercentile}
          </How>
        </dt>
        <dd>
          <Worked text={explained.median_growth_percentile}>
            <button type="button" className="figure">
              {rank(growth.median_growth_percentile)}
            </button>
          </Worked>
        </dd>
      </div>
      {(["clearly_above", "clearly_below"] as const).map((way) => (
        <div key={way}>
          <dt>
            <How of="met-and-the-verdict">
              {way === "clearly_below" ? words.clearlyBelow : words.clearlyAbove}
            </How>
          </dt>
          <dd>
            <Worked text={explained[way]}>
              <button type="button" className="open" onClick={() => open({ verdict: way })}>
                {many(answer[way])}
              </button>
            </Worked>{" "}
            {answer.judged_n > 0 && <small>{words.byChance(Math.round(answer.by_chance))}</small>}
          </dd>
        </div>
      ))}
      <TargetMark answer={answer} scope={scope} />
    </dl>
  );
}

/** Students of a region with their names, for the pins. */
async function studentsOf(scope: Scope, region: Region) {
  const hair = 0.001;
  const query = {
    ...asked(scope),
    percentile_from: region.percentile[0],
    percentile_to: region.percentile[1],
    // The dots lie where they are drawn; the server knows every digit.
    distance_from: region.distance[0] - hair,
    distance_to: region.distance[1] + hair,
    count: MOST,
  };
  const wanted = new Set(region.ids);
  const found = await got(client.GET("/api/drill-down", { params: { query } }));
  return found.rows
    .filter((row) => wanted.has(row.student_id))
    .map((row) => ({ id: row.student_id, name: row.name }));
}

function View({ answer, scope }: { answer: Answer; scope: Scope }) {
  const { open, openStudent } = usePanel();
  const { pinned, act } = usePins();
  const me = useMe();
  const [box, width] = useWidth<HTMLDivElement>(352);
  const [means, setMeans] = useState(false);
  const [fault, setFault] = useState("");
  const [table, setTable] = useState(false);
  const outlook = useOutlook(scope, answer.still_to_come);
  const [rows, setRows] = useState<Rows>("student");
  const printed = usePrinted(
    async () =>
      (
        await got(
          client.GET("/api/growth/rows", {
            params: { query: { ...asked(scope), start: 0, count: PRINTED } },
          }),
        )
      ).rows,
  );
  const ids = useMemo(() => pinned.map((one) => one.id), [pinned]);
  const onRegion = useCallback(
    async (region: Region) => {
      setFault("");
      if (region.ids.length > MOST) {
        setFault(words.aRegionOfMoreThan(MOST));
      } else if (region.ids.length) {
        try {
          act({ type: "add", students: await studentsOf(scope, region) });
        } catch (error) {
          setFault((error as Error).message);
        }
      }
    },
    [act, scope],
  );
  // The panel finds the name; a dot knows only whose it is.
  const onOpen = useCallback((id: string) => openStudent({ id, name: "" }), [openStudent]);
  if (answer.n === 0 || scope.from_window === scope.to_window) {
    return (
      <NothingHere headline={answer.headline} lead={answer.lead}>
        <Notes notes={answer.notes} />
      </NothingHere>
    );
  }
  return (
    <>
      <div className="top">
        <div>
          <h1>{answer.headline}</h1>
          <p className="lead">{answer.lead}</p>
          <Facts answer={answer} scope={scope} />
          <OutlookFacts state={outlook} />
          {answer.aside && (
            <p className="aside">
              {answer.aside}{" "}
              <button type="button" className="word" onClick={() => open({ kept_pace_low: true })}>
                {words.seeWho}
              </button>
            </p>
          )}
          {fault && (
            <p className="fault" role="alert">
              {fault}
            </p>
          )}
        </div>
        <OutlookFigure state={outlook} />
        {answer.dots.ids.length > 0 && (
          <div className="fig" ref={box}>
            <p>
              <How of="distance-from-expected">{words.distanceFromExpected}</How> {words.byStarting}{" "}
              <How of="percentile">{words.percentile2}</How>
              {answer.belt != null && words.beltTestError}
            </p>
            <Field
              dots={answer.dots}
              bands={answer.bands.length}
              belt={answer.belt}
              pinned={ids}
              onRegion={onRegion}
              onOpen={onOpen}
              width={width}
              height={172}
            />
          </div>
        )}
      </div>
      {rows === "student" ? (
        <Lanes answer={answer} scope={scope} means={means} printed={printed.rows} />
      ) : answer.still_to_come ? (
        <OutlookUnits scope={scope} by={rows} />
      ) : (
        <GrowthUnits scope={scope} by={rows} />
      )}
      {table && <NormTable scope={scope} onClose={() => setTable(false)} />}
      <div className="switches">
        <RowsChoice value={rows} onChange={setRows} />
        <label title={words.meanOfTheNormMean}>
          <input type="checkbox" checked={means} onChange={(event) => setMeans(event.target.checked)} />{" "}
          {words.normMeanAndDistrictMean}
        </label>
        <button type="button" className="word" onClick={() => setTable(true)}>
          {words.usualScores2}
        </button>
        <Notes notes={answer.notes} />
        <span className="u-at-end">
          {me.may_export && (
            <Download path="drill-down" query={writeScope(scope).toString()} what={words.allStudents} />
          )}
          <PrintButton before={printed.ready} />
        </span>
      </div>
    </>
  );
}

export function GrowthPage() {
  const { scope } = useScope();
  const answer = useQuery({
    queryKey: ["growth", scope],
    // While another scope is worked out, what stands here is asked about under its own.
    queryFn: async () => ({
      scope: scope as Scope,
      answer: await got(client.GET("/api/growth", { params: { query: asked(scope as Scope) } })),
    }),
    enabled: Boolean(scope),
    placeholderData: (before) => before,
  });
  if (!scope) return null;
  return <Shown query={answer}>{(data) => <View answer={data.answer} scope={data.scope} />}</Shown>;
}
