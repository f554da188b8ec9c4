/** A step without anything to show: what is so, and the way back. */
import type { ReactNode } from "react";
import { useScope } from "../scope/ScopeContext";
import { step as words } from "../words/around/step";

export function NothingHere(props: { headline: string; lead: string; children?: ReactNode }) {
  const { reset } = useScope();
  return (
    <div className="empty">
      <h1>{props.headline}</h1>
      <p>{props.lead}</p>
      <button type="button" className="plain" onClick={reset}>
        {words.backToTheFirstChoice}
      </button>
      {props.children}
    </div>
  );
}
