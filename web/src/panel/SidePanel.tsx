/** The panel at the right: the students behind a number, or one of them. */
import { useEffect, useMemo, useRef } from "react";
import { useKeys } from "../ui/useKeys";
import { panel as words } from "../words/around/panel";
import { NamedList } from "./NamedList";
import { usePanel } from "./PanelContext";
import { StudentCard } from "./StudentCard";
import { StudentList } from "./StudentList";

export function SidePanel() {
  const { pick, student, close } = usePanel();
  const box = useRef<HTMLElement>(null);
  const before = useRef<Element | null>(null);
  const shown = Boolean(pick || student);
  useEffect(() => {
    if (shown) {
      before.current = document.activeElement;
      box.current?.focus();
    } else if (before.current instanceof HTMLElement || before.current instanceof SVGElement)
      before.current.focus();
  }, [shown]);
  useKeys(useMemo(() => (shown ? { escape: close } : {}), [shown, close]));
  if (!shown) return null;
  return (
    <aside className="panel" ref={box} tabIndex={-1} aria-label={words.studentsBehindTheNumber}>
      {student ? (
        <StudentCard key={student.id} id={student.id} />
      ) : (
        pick &&
        (pick.named ? (
          <NamedList key={pick.named.title} {...pick.named} />
        ) : (
          <StudentList key={JSON.stringify(pick)} pick={pick} />
        ))
      )}
      <button type="button" className="close" aria-label={words.closeThePanel} onClick={close}>
        ×
      </button>
    </aside>
  );
}
