/** The set of pinned students as a reducer: every act keeps the set before, so that it can be undone. */

export interface Pinned {
  id: string;
  name: string;
}

export interface Pins {
  now: Pinned[];
  before: Pinned[][];
}

export type PinAct =
  | { type: "toggle"; student: Pinned }
  | { type: "add"; students: Pinned[] }
  | { type: "clear" }
  | { type: "undo" };

/** How many sets back undo reaches. */
const DEPTH = 20;

export function reducePins(pins: Pins, act: PinAct): Pins {
  if (act.type === "undo") {
    const last = pins.before.at(-1);
    return last ? { now: last, before: pins.before.slice(0, -1) } : pins;
  }
  const now = after(pins.now, act);
  return now === pins.now ? pins : { now, before: [...pins.before, pins.now].slice(-DEPTH) };
}

function after(now: Pinned[], act: Exclude<PinAct, { type: "undo" }>): Pinned[] {
  if (act.type === "clear") return now.length ? [] : now;
  if (act.type === "toggle") {
    const kept = now.filter((one) => one.id !== act.student.id);
    return kept.length < now.length ? kept : [...now, act.student];
  }
  const known = new Set(now.map((one) => one.id));
  const fresh = act.students.filter((one) => !known.has(one.id));
  return fresh.length ? [...now, ...fresh] : now;
}
