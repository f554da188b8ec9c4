/** The list one came from, kept for this tab, so that a student's page can step to the next of it. */
import { useEffect } from "react";

export interface Walk {
  title: string;
  students: { id: string; name: string }[];
}

const KEY = "bodkin.walk";

export function walk(): Walk | null {
  try {
    return JSON.parse(sessionStorage.getItem(KEY) ?? "null") as Walk | null;
  } catch {
    return null;
  }
}

/** Keeps a list while it is shown. */
export function useKeepWalk(title: string, rows: { student_id: string; name: string }[]) {
  useEffect(() => {
    if (!rows.length) return;
    const students = rows.map((row) => ({ id: row.student_id, name: row.name }));
    sessionStorage.setItem(KEY, JSON.stringify({ title, students }));
  }, [title, rows]);
}
