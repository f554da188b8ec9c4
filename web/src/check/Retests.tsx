/** The list of second sittings, for whoever runs the testing. */
import type { Schemas } from "../api/client";
import { Name } from "../people/Hiding";
import { check as words } from "../words/steps/check";
import type { Decide } from "./useDecide";

export function Retests({ answer, decide }: { answer: Schemas["CheckStep"]; decide: Decide }) {
  if (answer.retests.length === 0) return null;
  return (
    <section aria-label={words.retests} className="u-above-20">
      <h2>{words.retestsAskedFor}</h2>
      <table className="rows still" aria-label={words.retestList}>
        <thead>
          <tr>
            <th>{words.student2}</th>
            <th>{words.classWord}</th>
            <th>{words.why3}</th>
            <th>{words.accommodations}</th>
            <th>{words.askedBy}</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {answer.retests.map((one) => (
            <tr key={one.id}>
              <td>
                <Name name={one.name} />
              </td>
              <td>
                {one.section}
                <div className="quiet small">{one.school}</div>
              </td>
              <td className="u-wraps">{one.why}</td>
              <td className="u-wraps">{one.accommodations?.split(";").join(", ")}</td>
              <td>{one.asked_by}</td>
              <td className="num">
                {one.state === "done" ? (
                  <span className="quiet">{words.done}</span>
                ) : (
                  <>
                    {one.sat_since && <span className="quiet">{words.satAgainSince} </span>}
                    <button type="button" className="word" onClick={() => decide.retest(one.id, "done")}>
                      {words.done2}
                    </button>{" "}
                    <button type="button" className="word" onClick={() => decide.retest(one.id, "withdrawn")}>
                      {words.notWanted}
                    </button>
                  </>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
