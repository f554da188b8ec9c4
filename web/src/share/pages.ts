/** What pages are asked for, as the address of a question holds it. */
import { asked, type Scope, writeScope } from "../scope/scope";

export type Audience = "family" | "student" | "plan" | "team";

export interface PagesAsked {
  audience: Audience;
  language: string;
  subjects: string[];
  years: number;
  test: string | null;
  /** In their order. */
  sections: string[];
}

/** The part of a question beside its sentence. */
export function pagesQuery(pages: PagesAsked) {
  return {
    audience: pages.audience,
    page_language: pages.language,
    page_section: pages.sections,
    page_subject: pages.subjects,
    page_years: pages.years,
    ...(pages.test ? { page_test: pages.test } : {}),
  };
}

/** Sentence and pages as one query. */
export const question = (scope: Scope, pages: PagesAsked) => ({ ...asked(scope), ...pagesQuery(pages) });

/** The same as text, for links. */
export function questionText(scope: Scope, pages: PagesAsked): string {
  const query = writeScope(scope);
  for (const [name, value] of Object.entries(pagesQuery(pages)))
    for (const one of Array.isArray(value) ? value : [value]) query.append(name, String(one));
  return query.toString();
}

/** A section moved by one place. */
export function moved(sections: string[], section: string, by: number): string[] {
  const at = sections.indexOf(section);
  const to = at + by;
  if (at < 0 || to < 0 || to >= sections.length) return sections;
  const next = sections.filter((one) => one !== section);
  next.splice(to, 0, section);
  return next;
}
