/** Students that the screen knows by name: to pin, to step through, to open. */
import { usePins } from "../pins/PinContext";
import { PinMark } from "../pins/PinMark";
import { useFirst } from "../ui/lists/useFirst";
import { panel as words } from "../words/around/panel";
import { students } from "../words/format";
import type { NamedPick } from "./PanelContext";
import { StudentName } from "./StudentName";
import { useListKeys } from "./useListKeys";
import { useKeepWalk } from "./walk";

const SHOWN = 200;
const MORE = 500;

export function NamedList({ title, students: all }: NamedPick) {
  const { act } = usePins();
  const [shown, more] = useFirst(all.length, SHOWN, MORE);
  useKeepWalk(title, all);
  const { at, list } = useListKeys(all);
  return (
    <>
      <header>
        <h2>{title}</h2>
        <p className="quiet small">{students(all.length)}</p>
        <div className="tools">
          <button
            type="button"
            className="plain"
            disabled={!all.length}
            onClick={() =>
              act({ type: "add", students: all.map((one) => ({ id: one.student_id, name: one.name })) })
            }
          >
            {words.pinAll} {all.length.toLocaleString("en")}
          </button>
          <span className="quiet small">
            <kbd>[</kbd> <kbd>]</kbd> {words.step} <kbd>P</kbd> {words.pin}
          </span>
        </div>
      </header>
      <div className="list">
        {!all.length && <p className="quiet">{words.nobodyHere}</p>}
        <ol ref={list}>
          {all.slice(0, Math.max(shown, at + 1)).map((one, place) => (
            <li key={one.student_id} className={place === at ? "at" : undefined}>
              <PinMark id={one.student_id} name={one.name} /> <StudentName student={one} />
              {one.note && <span className="quiet small"> {one.note}</span>}
            </li>
          ))}
        </ol>
        {more}
      </div>
    </>
  );
}
