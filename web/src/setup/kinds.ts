/** What the kinds of files are called. */
export const KINDS: Record<string, string> = {
  oneroster: "OneRoster package",
  case: "standards (CASE)",
  growth_norms: "growth norms",
  strand_scores: "strand scores",
  result_scales: "results on other scales",
  teaching_calendar: "teaching calendar",
  student_fields: "fields of students",
  not_tested: "who was not tested",
  course_grades: "course grades",
};

export const kindSaid = (kind: string) => KINDS[kind] ?? kind;
