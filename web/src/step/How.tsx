/** A quiet link from a figure to how it is worked out. */
import type { ReactNode } from "react";
import { Link } from "react-router";
import { useScope } from "../scope/ScopeContext";
import { step as words } from "../words/around/step";

/** Figures that a screen can link to, by their place on the page of figures. */
export type FigureId =
  | "percentile"
  | "expected-growth"
  | "distance-from-expected"
  | "growth-percentile"
  | "met-and-the-verdict"
  | "bands-and-cuts"
  | "shares"
  | "movement"
  | "which-result-counts"
  | "doubts-about-a-result"
  | "two-sittings-two-languages"
  | "headlines"
  | "among-one-s-own"
  | "steady"
  | "cohorts-and-gaps"
  | "link-to-the-outcome-test"
  | "goals"
  | "resembling-grades-and-seasons"
  | "outlook"
  | "units-compared"
  | "worth-a-word";

/** The name of a figure, or a word beside it, that opens its explanation. */
export function How({
  of,
  title = words.howThisIsWorkedOut,
  children,
}: {
  of: FigureId;
  title?: string;
  children: ReactNode;
}) {
  const { to } = useScope();
  return (
    <Link className="how" to={`${to("/figures")}#${of}`} title={title}>
      {children}
    </Link>
  );
}
