/** The name of a unit of a breakdown; one that is a filter by its name narrows the view to itself. */
import { useScope } from "../scope/ScopeContext";
import { type By, LISTS, type ListKey } from "../scope/scope";
import { step as words } from "../words/around/step";

export function UnitName({ by, value, children }: { by: By; value: string; children: string }) {
  const { change } = useScope();
  // A group is a filter by its number, which a breakdown does not tell.
  if (by === "group" || !(LISTS as readonly string[]).includes(by)) return children;
  return (
    <button
      type="button"
      className="open"
      title={words.lookOnlyAt(value)}
      onClick={() => change({ [by as ListKey]: [value] })}
    >
      {children}
    </button>
  );
}
