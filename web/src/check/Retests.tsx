/** The list of second sittings, for whoever runs the testing. */
import type { Schemas } from "../api/client";
import { Name } from "../people/Hiding";
import type { Decide } from "./useDecide";

export function Retests({ answer, decide }: { answer: Schemas["CheckStep"]; decide: Decide }) {
  if (answer.retests.length === 0) return null;
  return (
    <section aria-label="Retests" style={{ marginTop: 20 }}>
      <h2>Retests asked for</h2>
      <table className="rows still" aria-label="Retest list">
        <thead>
          <tr>
            <th>Student</th>
            <th>Class</th>
            <th>Why</th>
            <th>Accommodations</th>
            <th>Asked by</th>
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
              <td style={{ whiteSpace: "normal" }}>{one.why}</td>
              <td style={{ whiteSpace: "normal" }}>{one.accommodations?.split(";").join(", ")}</td>
              <td>{one.asked_by}</td>
              <td className="num">
                {one.state === "done" ? (
                  <span className="quiet">done</span>
                ) : (
                  <>
                    {one.sat_since && <span className="quiet">sat again since </span>}
                    <button type="button" className="word" onClick={() => decide.retest(one.id, "done")}>
                      Done
                    </button>{" "}
                    <button type="button" className="word" onClick={() => decide.retest(one.id, "withdrawn")}>
                      Not wanted
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
