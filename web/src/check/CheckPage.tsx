/** Check: are the results complete, and can we believe them? */

import { useQuery } from "@tanstack/react-query";
import { client, got } from "../api/client";
import { useMe } from "../people/me";
import { useScope } from "../scope/ScopeContext";
import { asked, type Scope, writeScope } from "../scope/scope";
import { Done } from "../step/Done";
import { Fault } from "../step/Fault";
import { Notes, Shown } from "../step/Shown";
import { Download } from "../ui/Download";
import { check as words } from "../words/steps/check";
import { Completion } from "./Completion";
import { Decisions } from "./Decisions";
import { Doubts } from "./Doubts";
import { Languages, Several, Without } from "./Pairs";
import { Retests } from "./Retests";
import { useDecide } from "./useDecide";

export function CheckPage() {
  const { scope } = useScope();
  const me = useMe();
  const decide = useDecide();
  const answer = useQuery({
    queryKey: ["check", scope],
    queryFn: () => got(client.GET("/api/check", { params: { query: asked(scope as Scope) } })),
    enabled: Boolean(scope),
    placeholderData: (before) => before,
  });
  if (!scope) return null;
  const query = writeScope(scope).toString();
  return (
    <Shown query={answer}>
      {(answer) => (
        <>
          <h1>{answer.headline}</h1>
          <p className="lead u-any-width">
            <span className="quiet">{answer.window}.</span> {answer.lead}
          </p>
          <div role="status" aria-live="polite">
            <Done said={decide.said} act={decide.last} undo={decide.undo} />
          </div>
          <Fault said={decide.fault?.message} />
          <div className="checks">
            <Completion answer={answer} decide={decide} />
            <Doubts answer={answer} scope={scope} decide={decide} />
          </div>
          <Retests answer={answer} decide={decide} />
          <Languages answer={answer} />
          <Several answer={answer} decide={decide} />
          <Without answer={answer} />
          <Decisions may={answer.may_ask} decide={decide} />
          <div className="switches">
            <Notes notes={answer.notes} />
            {me.may_export && (
              <span className="u-at-end">
                <Download path="check/missing" query={query} what={words.notTested} named />
                <Download path="check/doubts" query={query} what={words.doubtfulResults} named />
                <Download path="check/retests" query={query} what={words.retests} named />
              </span>
            )}
          </div>
        </>
      )}
    </Shown>
  );
}
