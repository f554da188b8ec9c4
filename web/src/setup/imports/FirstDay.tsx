/** The first day: what is there, what is not, and a template of each file to fill. */
import { useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../../api/client";
import { many } from "../../words/format";
import { setup as words } from "../../words/steps/setup";
import { kindSaid } from "../kinds";

function Step({ step, at }: { step: Schemas["FirstStep"]; at: number }) {
  return (
    <li className={step.done ? "done" : undefined}>
      <strong>
        {at}. {words.firstStep[step.key] ?? step.key}
      </strong>{" "}
      <span className="quiet">{step.done ? words.isThere : words.isMissing}</span>
      <p className="quiet small">{words.firstStepWhy[step.key]}</p>
      <p className="small">
        {words.templates}{" "}
        {Object.entries(step.kinds).map(([kind, rows]) => (
          <span key={kind} className="template">
            {kindSaid(kind)}{" "}
            <a className="word" href={`/api/setup/templates/${kind}.csv`} download>
              {words.csv}
            </a>{" "}
            <a className="word" href={`/api/setup/templates/${kind}.xlsx`} download>
              {words.xlsx}
            </a>
            {rows > 0 && <span className="quiet"> {words.rowsThere(many(rows))}</span>}
          </span>
        ))}
      </p>
    </li>
  );
}

/** What is there and what is missing. */
export function useFirstDay() {
  return useQuery({
    queryKey: ["imports", "first-day"],
    queryFn: () => got(client.GET("/api/setup/first-day")),
  });
}

/** The first steps while one is missing; once all are done, only what later steps lack, folded away. */
export function FirstDay() {
  const { data } = useFirstDay();
  if (!data) return null;
  const lacking = data.later.filter((one) => one.lacks.length > 0 || one.more.length > 0);
  return (
    <details className="firstday" open={!data.done}>
      <summary>{data.done ? words.whatTheStepsNeed : words.theFirstDay}</summary>
      {!data.done && (
        <>
          <p className="quiet">{words.fourThingsInThisOrder}</p>
          <ol>
            {data.steps.map((step, at) => (
              <Step key={step.key} step={step} at={at + 1} />
            ))}
          </ol>
        </>
      )}
      <table className="rows" aria-label={words.whatTheStepsNeed}>
        <thead>
          <tr>
            <th>{words.stepOfTheRound}</th>
            <th>{words.stillNeeds}</th>
            <th>{words.showsMoreWith}</th>
          </tr>
        </thead>
        <tbody>
          {lacking.map((one) => (
            <tr key={one.step}>
              <td>{words.stepNames[one.step] ?? one.step}</td>
              <td>{one.lacks.map(kindSaid).join(", ")}</td>
              <td className="quiet">{one.more.map(kindSaid).join(", ")}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </details>
  );
}
