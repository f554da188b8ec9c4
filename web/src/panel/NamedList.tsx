/** Students of a list that a step answers for itself: to pin, to step through, to open. */
import { useQuery } from "@tanstack/react-query";
import { usePins } from "../pins/PinContext";
import { PinMark } from "../pins/PinMark";
import { Shown } from "../step/Shown";
import { useFirst } from "../ui/lists/useFirst";
import { panel as words } from "../words/around/panel";
import { many, students } from "../words/format";
import type { NamedPick, NamedStudent } from "./PanelContext";
import { StudentName } from "./StudentName";
import { useListKeys } from "./useListKeys";
import { useKeepWalk } from "./walk";

const SHOWN = 200;
const MORE = 500;

export function NamedList(pick: NamedPick) {
  if ("asked" in pick) return <AskedList title={pick.title} asked={pick.asked} />;
  return <Names title={pick.title} students={pick.students} />;
}

function AskedList({ title, asked }: Extract<NamedPick, { asked: unknown }>) {
  const answer = useQuery({ queryKey: asked.key, queryFn: asked.load });
  return <Shown query={answer}>{(data) => <Names title={title} students={data} />}</Shown>;
}

function Names({ title, students: all }: { title: string; students: NamedStudent[] }) {
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
            {words.pinAll} {many(all.length)}
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
