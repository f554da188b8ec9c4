/** The pin mark beside a student. */
import { usePins } from "./PinContext";

export function PinMark({ id, name }: { id: string; name: string }) {
  const { has, act } = usePins();
  const on = has(id);
  return (
    <button
      type="button"
      className={on ? "pin on" : "pin"}
      aria-pressed={on}
      aria-label={`Pin ${name}`}
      onClick={(event) => {
        event.stopPropagation();
        act({ type: "toggle", student: { id, name } });
      }}
    >
      {on ? "●" : "○"}
    </button>
  );
}
