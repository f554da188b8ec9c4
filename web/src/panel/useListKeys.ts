/** Stepping through a list of students by key: [ and ], P pins, Enter opens; the student at hand stays in view. */
import { useEffect, useMemo, useRef, useState } from "react";
import { usePins } from "../pins/PinContext";
import { useKeys } from "../ui/useKeys";
import { usePanel } from "./PanelContext";

export function useListKeys(rows: { student_id: string; name: string }[]) {
  const { openStudent } = usePanel();
  const { act } = usePins();
  const [at, setAt] = useState(-1);
  const list = useRef<HTMLOListElement>(null);
  useEffect(() => {
    list.current?.querySelector("li.at")?.scrollIntoView({ block: "nearest" });
  });
  useKeys(
    useMemo(
      () => ({
        "]": () => setAt((now) => Math.min(now + 1, rows.length - 1)),
        "[": () => setAt((now) => Math.max(now - 1, 0)),
        p: () => {
          const row = rows[at];
          if (row) act({ type: "toggle", student: { id: row.student_id, name: row.name } });
        },
        enter: (event: KeyboardEvent) => {
          const row = rows[at];
          if (row && !(event.target instanceof HTMLButtonElement))
            openStudent({ id: row.student_id, name: row.name });
          else if (event.target instanceof HTMLButtonElement) event.target.click();
        },
      }),
      [rows, at, act, openStudent],
    ),
  );
  return { at, list };
}
