/** New ids that may be students known under another id: shown, and joined only when somebody says so. */

import { setup as words } from "../../words/steps/setup";
import { type Asking, spelledOut } from "./Mapping";

export function Likely({ draft, busy, onChange }: Asking) {
  const joined = Object.entries(draft.changes.students ?? {});
  if (!draft.likely.length && !joined.length) return null;
  const say = (students: Record<string, string>) => {
    const now = draft.changes.by_hand ? draft.changes : spelledOut(draft);
    onChange({ ...now, students });
  };
  return (
    <>
      <h2 style={{ marginTop: 14 }}>{words.isThisTheSameStudent}</h2>
      <p className="quiet small">{words.theseIdsAreNewBut}</p>
      <table className="rows" aria-label={words.studentsWhoMayBeKnown}>
        <thead>
          <tr>
            <th>{words.inTheFile}</th>
            <th>{words.name}</th>
            <th>{words.grade}</th>
            <th>{words.knownAs}</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {joined.map(([id, known]) => (
            <tr key={`joined ${id}`}>
              <td>{id}</td>
              <td className="quiet">{words.theSameStudent}</td>
              <td />
              <td>{known}</td>
              <td className="num">
                <button
                  type="button"
                  className="word"
                  disabled={busy}
                  onClick={() => say(Object.fromEntries(joined.filter(([other]) => other !== id)))}
                >
                  {words.notTheSame}
                </button>
              </td>
            </tr>
          ))}
          {draft.likely.map((one) => (
            <tr key={`${one.student_id} ${one.known_id}`}>
              <td>{one.student_id}</td>
              <td>{one.name}</td>
              <td>{one.grade}</td>
              <td>{one.known_id}</td>
              <td className="num">
                <button
                  type="button"
                  className="word"
                  disabled={busy}
                  onClick={() => say({ ...draft.changes.students, [one.student_id]: one.known_id })}
                >
                  {words.theSame}
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
