/** New ids that may be students known under another id: shown, and joined only when somebody says so. */
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
      <h2 style={{ marginTop: 14 }}>Is this the same student?</h2>
      <p className="quiet small">
        These ids are new, but a student of the same name is in the same grade. Left alone they come in as new
        students.
      </p>
      <table className="rows" aria-label="Students who may be known">
        <thead>
          <tr>
            <th>In the file</th>
            <th>Name</th>
            <th>Grade</th>
            <th>Known as</th>
            <th />
          </tr>
        </thead>
        <tbody>
          {joined.map(([id, known]) => (
            <tr key={`joined ${id}`}>
              <td>{id}</td>
              <td className="quiet">the same student</td>
              <td />
              <td>{known}</td>
              <td className="num">
                <button
                  type="button"
                  className="word"
                  disabled={busy}
                  onClick={() => say(Object.fromEntries(joined.filter(([other]) => other !== id)))}
                >
                  Not the same
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
                  The same
                </button>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
