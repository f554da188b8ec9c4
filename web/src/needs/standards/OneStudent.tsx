/** One student: what is held, what to build next from the ground up, where most is to be gained. */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../../api/client";
import { EvidenceMark } from "../../marks/EvidenceMark";
import type { EvidenceAsked } from "../../panel/PanelContext";
import { useSaid } from "../../people/Hiding";
import { useScope } from "../../scope/ScopeContext";
import { asked, type Scope } from "../../scope/scope";
import { Dialog } from "../../ui/Dialog";
import { needs as words } from "../../words/steps/needs";
import css from "./standards.module.css";

const CODES: Record<string, number> = { mastered: 0, nearly: 1, "not yet": 2, "thin evidence": 3 };

export function OneStudent(props: {
  id: string;
  name: string;
  evidence: EvidenceAsked;
  onClose: () => void;
}) {
  const { scope } = useScope();
  const said = useSaid();
  const found = useQuery({
    queryKey: ["needs", "student", scope, props.id, props.evidence],
    queryFn: () =>
      got(
        client.GET("/api/needs/standards/student", {
          params: { query: { ...asked(scope as Scope), ...props.evidence, of: props.id } },
        }),
      ),
    enabled: Boolean(scope),
  });
  const data = found.data;
  const line = (one: { standard: string; text: string; state: string }) => (
    <>
      <EvidenceMark state={CODES[one.state] ?? 4} name={one.state} /> {one.text}{" "}
      <span className="quiet small">{one.standard}</span>
    </>
  );
  return (
    <Dialog title={words.oneStudent(said(props.name))} wide onClose={props.onClose}>
      {found.isError && <p className="fault">{found.error.message}</p>}
      {data && (
        <div className="two">
          <div>
            <b>{words.next}</b>
            {!data.next.length && <p className="quiet">{words.nothingNext}</p>}
            <ol className={css.list}>
              {data.next.map((one) => (
                <li key={one.standard}>{line(one)}</li>
              ))}
            </ol>
          </div>
          <div>
            <b>{words.gains}</b>
            <ol className={css.list}>
              {data.gains.map((one) => (
                <li key={one.standard}>
                  {line(one)}
                  <div className="small quiet">{words.missed(String(one.missed), one.later)}</div>
                </li>
              ))}
            </ol>
            <b>{words.heldWord(data.held.length)}</b>
            <ul className={css.list}>
              {data.held.map((one) => (
                <li key={one.standard}>{line(one)}</li>
              ))}
            </ul>
          </div>
        </div>
      )}
      <div className="buttons">
        <button type="button" className="plain" onClick={props.onClose}>
          {words.close}
        </button>
      </div>
    </Dialog>
  );
}
