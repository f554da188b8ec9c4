/** What the side panel shows: the students behind a number, or one student. */

import { createContext, type ReactNode, useContext, useMemo, useState } from "react";
import type { operations } from "../api/schema";

export interface Pick {
  side?: "from" | "to";
  band?: number;
  at_or_above?: number;
  from_band?: number;
  to_band?: number;
  moved?: "up" | "same" | "down";
  met?: boolean;
  verdict?: "clearly_above" | "as_expected" | "clearly_below";
  near_cut?: boolean;
  just_below?: boolean;
  lowest_fifth?: boolean;
  percentile_from?: number;
  percentile_to?: number;
  distance_from?: number;
  distance_to?: number;
  chance_from?: number;
  chance_to?: number;
  kept_pace_low?: boolean;
  left_out?: boolean;
  reason?: string;
  unit?: string;
  value?: string;
  unit2?: string;
  value2?: string;
  /** A point of the trend: the window's place, and the subgroup laid over. */
  at?: number;
  over?: string;
  /** A number of the Needs step, which has addresses of its own. */
  needs?: NeedsPick;
  /** Students of a list that the step answers for itself, such as those who share a reason. */
  named?: NamedPick;
}

export interface NamedStudent {
  student_id: string;
  name: string;
  note?: string;
}

/** Students the screen knows already, or how to ask for them and under which key the answer is kept. */
export type NamedPick = { title: string } & (
  | { students: NamedStudent[] }
  | { asked: { key: unknown[]; load: () => Promise<NamedStudent[]> } }
);

/** The students behind a part of a strand, a standard, or an option of an item. */
export type NeedsPick =
  | { of: "strand"; strand: string; line: Line; away_from?: number; away_to?: number }
  | { of: "standard"; standard: string; state: StandardState; evidence: EvidenceAsked }
  | { of: "item"; item: string; option?: string; lowest: boolean };
type Line = NonNullable<
  NonNullable<operations["strands_api_needs_strands_get"]["parameters"]["query"]>["line"]
>;
type StandardQuery = operations["behind_api_needs_standards_drill_down_get"]["parameters"]["query"];
export type StandardState = StandardQuery["state"];
/** Which evidence counts: its period, sources and limits. */
export type EvidenceAsked = {
  [K in
    | "evidence_from"
    | "evidence_to"
    | "source"
    | "mastered_from"
    | "nearly_from"
    | "fewest"]?: StandardQuery[K];
};

interface PanelState {
  pick: Pick | null;
  student: { id: string; name: string } | null;
  open: (pick: Pick) => void;
  openStudent: (student: { id: string; name: string } | null) => void;
  close: () => void;
}

const Context = createContext<PanelState | null>(null);

export function usePanel(): PanelState {
  const state = useContext(Context);
  if (!state) throw new Error("usePanel outside PanelProvider");
  return state;
}

export function PanelProvider({ children }: { children: ReactNode }) {
  const [pick, setPick] = useState<Pick | null>(null);
  const [student, setStudent] = useState<{ id: string; name: string } | null>(null);
  const state = useMemo<PanelState>(
    () => ({
      pick,
      student,
      open: (next) => {
        setStudent(null);
        setPick(next);
      },
      openStudent: setStudent,
      close: () => {
        setPick(null);
        setStudent(null);
      },
    }),
    [pick, student],
  );
  return <Context value={state}>{children}</Context>;
}
