import { setup as words } from "../words/steps/setup";
/** What the kinds of files are called. */
export const KINDS: Record<string, string> = {
  oneroster: words.onerosterPackage,
  case: words.standardsCase,
  growth_norms: words.growthNorms,
  strand_scores: words.strandScores,
  result_scales: words.resultsOnOtherScales,
  teaching_calendar: words.teachingCalendar,
  student_fields: words.fieldsOfStudents,
  not_tested: words.whoWasNotTested,
  course_grades: words.courseGrades,
};

export const kindSaid = (kind: string) => KINDS[kind] ?? kind;
