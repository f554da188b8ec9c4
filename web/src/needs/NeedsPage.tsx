/** Needs: what exactly should be taught, and to whom? */
import { NavLink, useParams } from "react-router";
import { useScope } from "../scope/ScopeContext";
import { useChoices } from "../scope/useChoices";
import { needs as words } from "../words/steps/needs";
import { ItemsView } from "./items/ItemsView";
import { QuickEntry } from "./standards/QuickEntry";
import { StandardsView } from "./standards/StandardsView";
import { StrandsView } from "./strands/StrandsView";

const VIEWS = [
  ["strands", words.strands],
  ["standards", words.standards],
  ["items", words.items],
  ["entry", words.quickEntry],
] as const;

export function NeedsPage() {
  const { scope, to } = useScope();
  const { view } = useParams();
  const choices = useChoices(scope);
  if (!scope || (!view && !choices.data)) return null;
  const measure = choices.data?.measures.find(
    (one) => one.assessment === scope.assessment && one.subject === scope.subject,
  );
  // The sentence decides which comes first: a common test its items, a test with strands these.
  const shown = view ?? (measure?.common ? "items" : measure?.strands.length ? "strands" : "standards");
  return (
    <>
      <nav className="ways" aria-label={words.waysToLook}>
        {VIEWS.map(([path, word]) => (
          <NavLink key={path} to={to(`/needs/${path}`)} className={shown === path ? "active" : ""}>
            {word}
          </NavLink>
        ))}
      </nav>
      {shown === "items" ? (
        <ItemsView scope={scope} />
      ) : shown === "entry" ? (
        <QuickEntry scope={scope} />
      ) : shown === "standards" ? (
        <StandardsView scope={scope} />
      ) : (
        <StrandsView scope={scope} />
      )}
    </>
  );
}
