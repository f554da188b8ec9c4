/** Refused rows with the faulty cells open to be mended in place. */
import { type Asking, spelledOut } from "./Mapping";

export function Refused({ draft, busy, onChange }: Asking) {
  if (!draft.faults.length) return null;
  // A package has many files: the place is the file's too.
  const part = (file: string) => (file.includes("/") ? file.slice(file.indexOf("/") + 1) : "");
  const whole = draft.faults.filter((fault) => !draft.refused_rows.some((row) => row.line === fault.line));
  const original = (column: string) =>
    draft.mapping.headers.find((one) => one.column === column)?.name ?? column;
  const mend = (line: number, column: string, value: string) => {
    const edits = (draft.changes.edits ?? []).filter(
      (edit) => edit.line !== line || edit.column !== original(column),
    );
    // How the file is read stays what it was; only the cell is told.
    const now = draft.changes.by_hand ? draft.changes : spelledOut(draft);
    onChange({ ...now, edits: [...edits, { line, column: original(column), value }] });
  };
  return (
    <>
      <h2 style={{ marginTop: 14 }}>Refused rows</h2>
      <p className="quiet small">
        {draft.refused_rows.length > 0 ? "Mend a cell here, or take the" : "Take the"}{" "}
        <a className="word" href={`/api/imports/${draft.draft}/refused.xlsx`} download>
          refused rows with their reasons
        </a>
        , mend them and bring them in on their own.
      </p>
      <div className="scroll">
        <table className="rows" aria-label="Refused rows">
          <thead>
            <tr>
              <th className="num">Line</th>
              <th>Who</th>
              <th>Column</th>
              <th>In the file</th>
              <th>Why</th>
            </tr>
          </thead>
          <tbody>
            {draft.refused_rows.flatMap((row) =>
              Object.entries(row.faults).map(([column, message]) => (
                <tr key={`${row.line} ${column}`}>
                  <td className="num">{row.line}</td>
                  <td>{row.cells.student_id ?? row.cells.assessment}</td>
                  <td>{column || "the whole row"}</td>
                  <td>
                    {column && column in row.cells ? (
                      <input
                        className="input wrong"
                        aria-label={`${column} in line ${row.line}`}
                        aria-invalid
                        defaultValue={row.cells[column]}
                        disabled={busy}
                        onBlur={(event) => {
                          if (event.target.value !== row.cells[column])
                            mend(row.line, column, event.target.value);
                        }}
                        onKeyDown={(event) => {
                          if (event.key === "Enter") event.currentTarget.blur();
                        }}
                      />
                    ) : null}
                  </td>
                  <td style={{ whiteSpace: "normal" }}>{message}</td>
                </tr>
              )),
            )}
            {whole.slice(0, 100).map((fault) => (
              <tr key={`${fault.file}${fault.line}${fault.column}${fault.message}`}>
                <td className="num">{fault.line || ""}</td>
                <td>{part(fault.file ?? "")}</td>
                <td>{fault.column || "the whole row"}</td>
                <td />
                <td style={{ whiteSpace: "normal" }}>{fault.message}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}
