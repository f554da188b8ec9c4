/** The outlook: one band rising from today to the window to come, an aim as a flag, and whom it would take. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useSearchParams } from "react-router";
import { client, got, type Schemas } from "../api/client";
import { usePanel } from "../panel/PanelContext";
import { asked, type By, type Scope } from "../scope/scope";
import { How } from "../step/How";
import { Shown } from "../step/Shown";
import { UnitOutlooks } from "../step/UnitOutlooks";
import { useWidth } from "../ui/useWidth";
import { many, percent, season, seasonWord } from "../words/format";
import { growth as words } from "../words/steps/growth";
import { OutlookBand } from "./OutlookBand";

type Answer = Schemas["OutlookAnswer"];

function Past({ past }: { past: NonNullable<Answer["past"]> }) {
  return (
    <details className="past">
      <summary className={past.off ? "fault" : "quiet"}>{past.sentence}</summary>
      <table className="rows" aria-label={words.chancesAgainstWhatHappened}>
        <thead>
          <tr>
            <th className="num">{words.chanceTold}</th>
            <th className="num">{words.cameTrue}</th>
            <th className="num">{words.range95}</th>
            <th className="num">{words.results}</th>
          </tr>
        </thead>
        <tbody>
          {past.steps.map((step) => (
            <tr key={step.predicted}>
              <td className="num">{percent(step.predicted)}</td>
              <td className="num">{percent(step.happened)}</td>
              <td className="num quiet">
                {percent(step.low)}–{percent(step.high)}
              </td>
              <td className="num">{many(step.n)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="quiet small">{words.brier(past.brier.toFixed(3), past.windows.join(", "))}</p>
    </details>
  );
}

/** The outlook of a scope beside the aim that a person types; nothing where the window is not to come. */
export function useOutlook(scope: Scope, on: boolean) {
  const [params, setParams] = useSearchParams();
  const [typed, setTyped] = useState(params.get("aim") ?? "");
  const written = params.get("aim") ?? "";
  // The aim stands in the address like everything else that is chosen, and stays when the scope changes.
  useEffect(() => {
    if (!on || written === typed) return;
    setParams(
      (now) => {
        if (typed) now.set("aim", typed);
        else now.delete("aim");
        return now;
      },
      { replace: true },
    );
  }, [on, typed, written, setParams]);
  const share = Number(typed) / 100;
  const aim = typed !== "" && share > 0 && share <= 1 ? share : null;
  const query = useQuery({
    queryKey: ["growth", "outlook", scope, aim],
    queryFn: () => got(client.GET("/api/growth/outlook", { params: { query: { ...asked(scope), aim } } })),
    placeholderData: (before) => before,
    enabled: on,
  });
  const answer = on && query.data?.outlook ? query.data : undefined;
  return { answer, typed, setTyped, aim };
}

type State = ReturnType<typeof useOutlook>;

/** The figures of the outlook, and the aim. */
export function OutlookFacts({ state }: { state: State }) {
  const { open } = usePanel();
  const { answer, typed, setTyped, aim } = state;
  if (!answer?.outlook) return null;
  const { at_or_above: quoted, bands } = answer.outlook;
  return (
    <section aria-label={words.outlook}>
      <dl className="facts">
        <div>
          <dt>
            <How of="outlook">{words.expectedAtOrAbove(quoted.band)}</How>
          </dt>
          <dd>
            <button type="button" className="open" onClick={() => open({ chance_from: 0.5 })}>
              {percent(quoted.expected_share)}
            </button>{" "}
            <small>{words.eightTimesInTen(percent(quoted.low), percent(quoted.high))}</small>
          </dd>
        </div>
        <div>
          <dt>{words.couldGoEitherWay}</dt>
          <dd>
            <button
              type="button"
              className="open"
              title={words.chanceBetween}
              onClick={() => open({ chance_from: 0.3, chance_to: 0.7 })}
            >
              {many(answer.between_n)}
            </button>{" "}
            <small>
              {words.of} {many(answer.n)}
            </small>
          </dd>
        </div>
        <div>
          <dt>
            <label htmlFor="aim">{words.aimInPercent}</label>
          </dt>
          <dd>
            <input
              id="aim"
              className="aim"
              type="number"
              min={1}
              max={100}
              value={typed}
              onChange={(event) => setTyped(event.target.value)}
            />{" "}
            {answer.takes != null && aim != null && <small>{words.takesMore(answer.takes)}</small>}
          </dd>
        </div>
      </dl>
      <p className="quiet small">
        {words.expectedIn(seasonWord(answer.to_label))}{" "}
        {bands
          .map((band) =>
            words.bandExpected(band.band, many(Math.round(band.expected_n)), band.low, band.high),
          )
          .join(" · ")}
      </p>
      {answer.past && <Past past={answer.past} />}
    </section>
  );
}

/** The share today and the band it rises to. */
export function OutlookFigure({ state }: { state: State }) {
  const { answer } = state;
  return answer?.outlook ? <Drawn answer={answer} quoted={answer.outlook.at_or_above} /> : null;
}

/** Its own part, so that it measures its room once it is there. */
function Drawn({ answer, quoted }: { answer: Answer; quoted: Schemas["OutlookShare"] }) {
  const [box, width] = useWidth<HTMLDivElement>(352);
  return (
    <div className="fig" ref={box}>
      <p>{words.shareAtOrAbove(quoted.band)}</p>
      <OutlookBand
        now={answer.now ?? null}
        share={quoted}
        aim={answer.aim ?? null}
        labels={[season(answer.from_label), season(answer.to_label)]}
        width={width}
      />
    </div>
  );
}

/** The outlook of each school, grade, class, teacher or program. */
export function OutlookUnits({ scope, by }: { scope: Scope; by: By }) {
  const { open } = usePanel();
  const answer = useQuery({
    queryKey: ["growth", "outlook", "units", scope, by],
    queryFn: () =>
      got(client.GET("/api/growth/outlook/units", { params: { query: { ...asked(scope), by } } })),
    placeholderData: (before) => before,
  });
  const pick = (value: string) => open({ chance_from: 0, unit: by, value });
  return <Shown query={answer}>{(data) => <UnitOutlooks answer={data} by={by} onOpen={pick} />}</Shown>;
}
