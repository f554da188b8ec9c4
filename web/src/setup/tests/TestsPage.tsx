/** Setup: each test with its norms and cuts over the year, and what is missing or wrong, where it is. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { useScope } from "../../scope/ScopeContext";
import { How } from "../../step/How";
import { Shown } from "../../step/Shown";
import { useWidth } from "../../ui/useWidth";
import { setup as words } from "../../words/steps/setup";
import { SetupParts } from "../SetupParts";
import { CutsTable, NormsTable } from "./TestTables";
import { WhatItIs } from "./WhatItIs";
import { YearPicture } from "./YearPicture";

type Measure = Schemas["TestAnswer"];

const count = (n: number, one: string, many: string) => `${n.toLocaleString("en")} ${n === 1 ? one : many}`;

const titled = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);

function One({ test }: { test: Measure }) {
  const [chosen, choose] = useState<string | null>(null);
  const [box, width] = useWidth<HTMLDivElement>(640);
  const grade = test.grades.find((one) => one.grade === chosen) ?? test.grades[0];
  if (!grade) return null;
  return (
    <>
      <WhatItIs test={test} />
      {test.faults.length > 0 && (
        <div className="fault" role="alert">
          <p>
            {test.faults.length === 1 ? words.oneThingIs : words.thingsAre(test.faults.length)}{" "}
            {words.missingOrWrong}
          </p>
          <ul>
            {test.faults.slice(0, 12).map((fault) => (
              <li key={fault}>{fault}</li>
            ))}
          </ul>
        </div>
      )}
      <fieldset className="choice" aria-label={words.grade}>
        {test.grades.map((one) => (
          <button
            type="button"
            key={one.grade}
            aria-pressed={one === grade}
            onClick={() => choose(one.grade)}
          >
            {one.faults.length > 0 && "△ "}
            {words.grade2} {one.grade}
          </button>
        ))}
      </fieldset>
      <div className="compare u-above-14">
        <div ref={box}>
          <YearPicture grade={grade} width={Math.max(width, 340)} height={330} />
          <p className="quiet small">
            {words.thickLineThe} <How of="percentile">{words.norm2}</How> {words.meanByWeekOfInstruction}{" "}
            <How of="bands-and-cuts">{words.bands2}</How>
            {words.eachSeasonSCutsHalf}
          </p>
        </div>
        <div>
          <CutsTable key={`cuts ${grade.grade}`} test={test} grade={grade} />
          <NormsTable key={`norms ${grade.grade}`} test={test} grade={grade} />
        </div>
      </div>
    </>
  );
}

export function TestsPage() {
  const { scope } = useScope();
  const [chosen, choose] = useState<number | null>(null);
  const all = useQuery({ queryKey: ["measures"], queryFn: () => got(client.GET("/api/measures")) });
  // First the test at hand, then whichever is chosen.
  const here = all.data?.findIndex(
    (test) => test.assessment === scope?.assessment && test.subject === scope?.subject,
  );
  const at = chosen ?? Math.max(0, here ?? 0);
  const line = all.data?.[at];
  const one = useQuery({
    queryKey: ["measure", line?.assessment, line?.subject],
    queryFn: () =>
      got(
        client.GET("/api/measures/one", {
          params: { query: { assessment: line?.assessment ?? "", subject: line?.subject ?? "" } },
        }),
      ),
    enabled: Boolean(line),
  });
  return (
    <>
      <SetupParts />
      <h1>{words.testsNormsAndCuts}</h1>
      <Shown query={all}>
        {(lines) =>
          lines.length === 0 ? (
            <p className="lead">{words.nothingYetBringInScores}</p>
          ) : (
            <>
              <p className="lead u-any-width">
                {lines.length > 1 && (
                  <select
                    className="input u-auto"
                    aria-label={words.test}
                    value={at}
                    onChange={(event) => choose(Number(event.target.value))}
                  >
                    {lines.map((test, place) => (
                      <option key={`${test.assessment} ${test.subject}`} value={place}>
                        {test.assessment} {titled(test.subject)}
                      </option>
                    ))}
                  </select>
                )}{" "}
                {line &&
                  `${count(line.results, "result", "results")}, ${count(line.norms, words.normRow, words.normRows)}, ${count(line.growth_norms, words.growthNorm, words.growthNorms)}, ${count(line.cuts, words.rowOfCuts, words.rowsOfCuts)}.`}
              </p>
              <Shown query={one}>
                {(test) => <One key={`${test.assessment} ${test.subject}`} test={test} />}
              </Shown>
            </>
          )
        }
      </Shown>
    </>
  );
}
