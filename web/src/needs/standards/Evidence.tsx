/** The evidence of one cell: every piece of it, and which one counts. */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../../api/client";
import type { EvidenceAsked } from "../../panel/PanelContext";
import { useSaid } from "../../people/Hiding";
import { useScope } from "../../scope/ScopeContext";
import { Dialog } from "../../ui/Dialog";
import { day, percent } from "../../words/format";
import { needs as words } from "../../words/steps/needs";
import css from "./standards.module.css";

export function Evidence(props: {
  student: string;
  name: string;
  standard: string;
  evidence: EvidenceAsked;
  onClose: () => void;
}) {
  const { scope } = useScope();
  const said = useSaid();
  const { student, standard } = props;
  const found = useQuery({
    queryKey: ["needs", "evidence", student, standard, props.evidence],
    queryFn: () =>
      got(
        client.GET("/api/needs/standards/evidence", {
          params: {
            query: {
              student,
              standard,
              assessment: scope?.assessment ?? "",
              subject: scope?.subject ?? "",
              ...props.evidence,
            },
          },
        }),
      ),
  });
  return (
    <Dialog title={words.evidence(said(props.name), standard)} onClose={props.onClose}>
      {found.isError && <p className="fault">{found.error.message}</p>}
      {found.data?.length === 0 && <p>{words.noPieces}</p>}
      <ul className={css.list}>
        {found.data?.map((piece) => (
          <li key={`${piece.on} ${piece.source} ${piece.state} ${piece.note}`}>
            <b>{piece.state}</b> {day(piece.on)}, {piece.source === "points" ? words.points : piece.source}
            {piece.by && `, ${words.enteredBy(piece.by)}`}{" "}
            <span className="quiet">{piece.counts ? words.counts : words.overruled}</span>
            {piece.possible != null && (
              <div className="small">
                {words.wonOf(String(piece.won), String(piece.possible), piece.items)}
                {piece.percent != null && ` (${percent(piece.percent / 100)})`}
                {piece.chance != null && `; ${words.chance(percent(piece.chance))}`}
              </div>
            )}
            {piece.note && <div className="small">{piece.note}</div>}
          </li>
        ))}
      </ul>
      <div className="buttons">
        <button type="button" className="plain" onClick={props.onClose}>
          {words.close}
        </button>
      </div>
    </Dialog>
  );
}
