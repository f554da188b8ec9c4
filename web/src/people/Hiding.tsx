/** Hides names with one key, for a projector or a family across the desk. */
import { createContext, type ReactNode, useContext, useMemo, useState } from "react";
import { people as words } from "../words/around/people";

interface HidingState {
  hidden: boolean;
  toggle: () => void;
}

const Context = createContext<HidingState>({ hidden: false, toggle: () => undefined });
export const useHiding = () => useContext(Context);

export function HidingProvider({ children }: { children: ReactNode }) {
  const [hidden, setHidden] = useState(false);
  const state = useMemo(() => ({ hidden, toggle: () => setHidden((now) => !now) }), [hidden]);
  return <Context value={state}>{children}</Context>;
}

/** A student's name as plain text, or a stand-in while names are hidden: for titles and names of marks. */
export function useSaid(): (name: string) => string {
  const { hidden } = useHiding();
  return (name) => (hidden ? words.student : name);
}

/** A student's name, or a stand-in while names are hidden. */
export function Name({ name }: { name: string }) {
  const { hidden } = useHiding();
  if (hidden) return <span className="nm">{words.student}</span>;
  return (
    <span className={name.length > 20 ? "nm long" : "nm"} title={name.length > 20 ? name : undefined}>
      {name}
    </span>
  );
}
