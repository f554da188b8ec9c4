/** Standards: what to teach first, its ground, and the grid of who holds what. */
import { useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../../api/client";
import type { EvidenceAsked } from "../../panel/PanelContext";
import { useMe } from "../../people/me";
import { asked, type Scope, writeScope } from "../../scope/scope";
import { NothingHere } from "../../step/NothingHere";
import { Notes, Shown } from "../../step/Shown";
import { useStepParam } from "../../step/useStepParam";
import { Download } from "../../ui/Download";
import { useShown } from "../../ui/lists/useFirst";
import { PrintButton } from "../../ui/PrintButton";
import { needs as words } from "../../words/steps/needs";
import { Ahead, Calendar } from "./Further";
import { Grid, MarkKey, MORE, SHOWN } from "./Grid";
import { Ground } from "./Ground";
import css from "./standards.module.css";
import { TeachFirst } from "./TeachFirst";
import { useEvidence } from "./useEvidence";

type Answer = Schemas["StandardsAnswer"];

/** Period, sources and limits of the evidence. */
function Filters(props: { answer: Answer; set: (name: keyof EvidenceAsked, value: string | null) => void }) {
  const { answer, set } = props;
  const number = (name: "mastered_from" | "nearly_from" | "fewest", label: string, value: number) => (
    <label>
      {label}{" "}
      <input
        key={value}
        type="number"
        min={0}
        max={100}
        defaultValue={value}
        onBlur={(event) => {
          if (Number(event.target.value) !== value) set(name, event.target.value || null);
        }}
      />
    </label>
  );
  const period =
    answer.first || answer.last ? words.between(answer.first ?? "…", answer.last ?? "…") : words.allDays;
  const source = answer.chosen[0] === "points" ? words.points : (answer.chosen[0] ?? words.allSources);
  return (
    <details className={css.evidence}>
      <summary>{words.evidenceCounts(period, source, answer.mastered_from, answer.fewest)}</summary>
      <div className={css.filters}>
        <label>
          {words.evidenceFrom}{" "}
          <input
            type="date"
            value={answer.first ?? ""}
            onChange={(event) => set("evidence_from", event.target.value || null)}
          />
        </label>
        <label>
          {words.evidenceTo}{" "}
          <input
            type="date"
            value={answer.last ?? ""}
            onChange={(event) => set("evidence_to", event.target.value || null)}
          />
        </label>
        <label>
          {words.sources}{" "}
          <select
            value={answer.chosen[0] ?? ""}
            onChange={(event) => set("source", event.target.value || null)}
          >
            <option value="">{words.allSources}</option>
            {answer.sources.map((source) => (
              <option key={source} value={source}>
                {source === "points" ? words.points : source}
              </option>
            ))}
          </select>
        </label>
        {number("mastered_from", words.masteredFrom, answer.mastered_from)}
        {number("nearly_from", words.nearlyFrom, answer.nearly_from)}
        {number("fewest", words.fewest, answer.fewest)}
      </div>
    </details>
  );
}

export function StandardsView({ scope }: { scope: Scope }) {
  const me = useMe();
  const { evidence, set, intoQuery } = useEvidence();
  const [chosen, setChosen] = useStepParam("standard");
  const [count, more] = useShown(SHOWN, MORE);
  const answer = useQuery({
    queryKey: ["needs", "standards", scope, evidence, count],
    queryFn: () =>
      got(client.GET("/api/needs/standards", { params: { query: { ...asked(scope), ...evidence, count } } })),
    placeholderData: (before) => before,
  });
  const query = intoQuery(writeScope(scope)).toString();
  return (
    <Shown query={answer}>
      {(data) => {
        if (!data.columns.length) return <NothingHere headline={data.headline} lead={data.lead} />;
        const standard = chosen ?? data.skills[0]?.standard ?? null;
        return (
          <>
            <h1>{data.headline}</h1>
            <p className="lead">{data.lead}</p>
            <div className={css.two}>
              <div>
                <TeachFirst
                  skills={data.skills}
                  evidence={evidence}
                  chosen={standard}
                  hasCalendar={data.has_calendar}
                  onChoose={setChosen}
                />
                <Filters answer={data} set={set} />
                <div className="switches">
                  <h2 className="u-no-margin">{data.classes_n ? words.gridClasses : words.grid}</h2>
                  {data.classes_n ? <span className="quiet">{words.gridClassesNote}</span> : <MarkKey />}
                  <span className="u-at-end">
                    {me.may_export && (
                      <>
                        <Download path="needs/standards" query={query} what={words.theGrid} named />
                        <Download path="needs/standards/first" query={query} what={words.whatToTeach} named />
                      </>
                    )}
                    <PrintButton />
                  </span>
                </div>
                <Grid answer={data} evidence={evidence} onPick={setChosen} shown={count} more={more} />
                <Ahead scope={scope} evidence={evidence} />
                <Calendar scope={scope} evidence={evidence} onPick={setChosen} />
              </div>
              {standard && (
                <Ground scope={scope} evidence={evidence} standard={standard} onPick={setChosen} />
              )}
            </div>
            <Notes notes={data.notes} />
          </>
        );
      }}
    </Shown>
  );
}
