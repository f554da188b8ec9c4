/** Check: are the results complete, and can we believe them? */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../api/client";
import { useMe } from "../people/me";
import { useScope } from "../scope/ScopeContext";
import { asked, type Scope, writeScope } from "../scope/scope";
import { Notes, Shown } from "../step/Shown";
import { Download } from "../ui/Download";
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
      {(told) => (
        <>
          <h1>{told.headline}</h1>
          <p className="lead" style={{ maxWidth: "none" }}>
            <span className="quiet">{told.window}.</span> {told.lead}
          </p>
          <div role="status" aria-live="polite">
            {decide.said && (
              <p className="aside">
                {decide.said}.{" "}
                {decide.last !== null && (
                  <button type="button" className="word" onClick={() => decide.undo(decide.last as number)}>
                    Undo
                  </button>
                )}
              </p>
            )}
          </div>
          {decide.fault && (
            <p className="fault" role="alert">
              {decide.fault.message}
            </p>
          )}
          <div className="checks">
            <Completion told={told} decide={decide} />
            <Doubts told={told} scope={scope} decide={decide} />
          </div>
          <Retests told={told} decide={decide} />
          <Languages told={told} />
          <Several told={told} decide={decide} />
          <Without told={told} />
          <Decisions may={told.may_ask} decide={decide} />
          <div className="switches">
            <Notes notes={told.notes} />
            {me.may_export && (
              <span style={{ marginLeft: "auto", display: "flex", gap: 18 }}>
                <Download path="check/missing" query={query} what="who is missing" />
                <Download path="check/doubts" query={query} what="doubtful results" />
                <Download path="check/retests" query={query} what="the retest list" />
              </span>
            )}
          </div>
        </>
      )}
    </Shown>
  );
}
