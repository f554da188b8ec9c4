/** Refused rows with the faulty cells open to be mended in place. */

import { setup as words } from "../../words/steps/setup";
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
      <h2 className="u-above-14">{words.refusedRows}</h2>
      <p className="quiet small">
        {draft.refused_rows.length > 0 ? words.mendACellHereOr : words.takeThe}{" "}
        <a className="word" href={`/api/imports/${draft.draft}/refused.xlsx`} download>
          {words.refusedRowsWithTheirReasons}
        </a>
        {words.mendThemAndBringThem}
      </p>
      <div className="scroll">
        <table className="rows" aria-label={words.refusedRows}>
          <thead>
            <tr>
              <th className="num">{words.line2}</th>
              <th>{words.who}</th>
              <th>{words.column2}</th>
              <th>{words.inTheFile}</th>
              <th>{words.why}</th>
            </tr>
          </thead>
          <tbody>
            {draft.refused_rows.flatMap((row) =>
              Object.entries(row.faults).map(([column, message]) => (
                <tr key={`${row.line} ${column}`}>
                  <td className="num">{row.line}</td>
                  <td>{row.cells.student_id ?? row.cells.assessment}</td>
                  <td>{column || words.theWholeRow}</td>
                  <td>
                    {column && column in row.cells ? (
                      <input
                        className="input wrong"
                        aria-label={words.inLine(column, row.line)}
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
                  <td className="u-wraps">{message}</td>
                </tr>
              )),
            )}
            {whole.slice(0, 100).map((fault) => (
              <tr key={`${fault.file}${fault.line}${fault.column}${fault.message}`}>
                <td className="num">{fault.line || ""}</td>
                <td>{part(fault.file ?? "")}</td>
                <td>{fault.column || words.theWholeRow}</td>
                <td />
                <td className="u-wraps">{fault.message}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </>
  );
}
