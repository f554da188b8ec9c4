/** Everything the time axis shows as a table, for a screen reader or whoever likes to read. */
import { useState } from "react";
import { useHiding } from "../people/Hiding";
import { day } from "../words/format";
import { student as words } from "../words/steps/student";
import { type Page, rowsOf } from "./axis";
import css from "./student.module.css";

export function LaneTable({ page }: { page: Page }) {
  const [open, setOpen] = useState(false);
  const { hidden } = useHiding();
  const rows = open ? rowsOf(page, hidden) : [];
  return (
    <details className={css.table} onToggle={(event) => setOpen(event.currentTarget.open)}>
      <summary>{words.asATable}</summary>
      <div className="wide-table">
        <table className="rows">
          <caption className="unseen">{words.asATable}</caption>
          <thead>
            <tr>
              <th scope="col">{words.day}</th>
              <th scope="col">{words.lane}</th>
              <th scope="col">{words.what}</th>
            </tr>
          </thead>
          <tbody>
            {rows.map((one, at) => (
              // Two things of a lane can be said alike on a day.
              // biome-ignore lint/suspicious/noArrayIndexKey: the rows never change their order
              <tr key={`${one.on}${one.lane}${at}`}>
                <td>{day(one.on)}</td>
                <td>{one.lane}</td>
                <td className="wraps">{one.said}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </details>
  );
}
