/** Carries the pins along through all steps, kept for this browser tab and this person. */
import {
  createContext,
  type Dispatch,
  type ReactNode,
  useContext,
  useEffect,
  useMemo,
  useReducer,
} from "react";
import { type PinAct, type Pinned, type Pins, reducePins } from "./pins";

interface PinState {
  pinned: Pinned[];
  has: (id: string) => boolean;
  act: Dispatch<PinAct>;
  canUndo: boolean;
}

const Context = createContext<PinState | null>(null);

export function usePins(): PinState {
  const state = useContext(Context);
  if (!state) throw new Error("usePins outside PinProvider");
  return state;
}

function kept(key: string): Pins {
  try {
    return { now: JSON.parse(sessionStorage.getItem(key) ?? "[]") as Pinned[], before: [] };
  } catch {
    return { now: [], before: [] };
  }
}

export function PinProvider({ person, children }: { person: number; children: ReactNode }) {
  const key = `bodkin.pins.${person}`;
  const [pins, act] = useReducer(reducePins, key, kept);
  useEffect(() => sessionStorage.setItem(key, JSON.stringify(pins.now)), [key, pins.now]);
  const state = useMemo<PinState>(() => {
    const ids = new Set(pins.now.map((one) => one.id));
    return { pinned: pins.now, has: (id) => ids.has(id), act, canUndo: pins.before.length > 0 };
  }, [pins]);
  return <Context value={state}>{children}</Context>;
}
