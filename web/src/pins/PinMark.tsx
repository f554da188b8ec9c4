/** The pin mark beside a student. */

import { pins as words } from "../words/around/pins";
import { usePins } from "./PinContext";

interface Props {
  id: string;
  name: string;
  /** In a row that takes the key P itself, the mark need not be a stop of its own. */
  inRow?: boolean;
}

export function PinMark({ id, name, inRow = false }: Props) {
  const { has, act } = usePins();
  const on = has(id);
  return (
    <button
      type="button"
      tabIndex={inRow ? -1 : 0}
      className={on ? "pin on" : "pin"}
      aria-pressed={on}
      aria-label={words.pin(name)}
      onClick={(event) => {
        event.stopPropagation();
        act({ type: "toggle", student: { id, name } });
      }}
    >
      {on ? "●" : "○"}
    </button>
  );
}
