/** Edit, keep, leave, undo: under every table that can be changed in place. */

import { setup as words } from "../words/steps/setup";
import type { Editing } from "./useEdited";

interface Props {
  what: string;
  of: Editing;
  rows: () => Record<string, string>[];
  onEdit: () => void;
}

export function EditBar({ what, of, rows, onEdit }: Props) {
  return (
    <div className="editbar">
      {of.editing ? (
        <>
          <button type="button" className="plain" disabled={of.busy} onClick={() => of.keep(rows())}>
            {words.keepThese} {what}
          </button>
          <button type="button" className="word" disabled={of.busy} onClick={of.leave}>
            {words.leaveAsTheyAre}
          </button>
        </>
      ) : (
        <button
          type="button"
          className="word"
          onClick={() => {
            onEdit();
            of.edit();
          }}
        >
          {words.edit} {what}
        </button>
      )}
      {of.kept !== null && !of.editing && (
        <span role="status">
          {words.kept}{" "}
          <button
            type="button"
            className="word"
            disabled={of.busy}
            onClick={() => of.undo(of.kept as number)}
          >
            {words.undo}
          </button>
        </span>
      )}
      {of.fault && (
        <div className="fault" role="alert">
          {/* Where it stands is in front of one's eyes; what is wrong with it is what counts. */}
          {of.fault.faults.length === 0 && <p>{of.fault.message}</p>}
          {of.fault.faults.slice(0, 8).map((one) => (
            <p key={`${one.line}${one.column}${one.message}`}>
              {what}
              {words.row} {one.line - 1}: {one.message}
            </p>
          ))}
        </div>
      )}
    </div>
  );
}
