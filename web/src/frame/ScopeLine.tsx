/** The scope line: one sentence that says what is looked at; each underlined piece opens a picker in place. */
import { Popover } from "antd";
import { lazy, Suspense, useEffect, useState } from "react";
import { useLocation } from "react-router";
import type { Schemas } from "../api/client";
import { usePanel } from "../panel/PanelContext";
import { useMe } from "../people/me";
import { useScope } from "../scope/ScopeContext";
import { useRail } from "../scope/useRail";
import { useNoteScope } from "../views/useViews";
import { frame as words } from "../words/around/frame";
import { students } from "../words/format";

/** What is chosen with is fetched once the first page stands, before anybody can have clicked. */
const fetchPicker = () => import("../scope/Picker");
const Picker = lazy(() => fetchPicker().then((part) => ({ default: part.Picker })));

function PieceButton({ piece }: { piece: Schemas["Piece"] }) {
  const { pathname } = useLocation();
  const [open, setOpen] = useState(false);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a step to another page closes it
  useEffect(() => setOpen(false), [pathname]);
  if (!piece.key) return <span>{piece.text}</span>;
  return (
    <Popover
      open={open}
      onOpenChange={setOpen}
      trigger="click"
      placement="bottomLeft"
      arrow={false}
      destroyOnHidden
      content={
        <Suspense fallback={<p className="quiet">{words.loading}</p>}>
          <Picker part={piece.key} onDone={() => setOpen(false)} />
        </Suspense>
      }
    >
      <button
        type="button"
        className={piece.changed ? "piece changed" : "piece"}
        aria-expanded={open}
        aria-haspopup="dialog"
      >
        {piece.text}
      </button>
    </Popover>
  );
}

export function ScopeLine() {
  const { nothing } = useScope();
  const { open } = usePanel();
  const rail = useRail();
  const answer = rail.data;
  const me = useMe();
  const here = useLocation();
  const there = Boolean(answer);
  useEffect(() => {
    if (there) void fetchPicker();
  }, [there]);
  useNoteScope(
    me.id,
    answer?.pieces.map((piece) => piece.text).join(""),
    here.pathname === "/" ? `/compare${here.search}` : here.pathname + here.search,
  );
  if (nothing) return <div className="scope quiet">{words.thereAreNoResultsYet}</div>;
  if (!answer) return <div className="scope quiet">…</div>;
  const out = answer.left_out.reduce((sum, reason) => sum + (reason.n ?? 0), 0);
  return (
    <div className="scope">
      {answer.pieces.slice(0, -2).map((piece, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a piece is its place in the sentence
        <PieceButton key={`${at} ${piece.key ?? ""}`} piece={piece} />
      ))}
      {/* The full stop never begins a line. */}
      <span className="u-one-line">
        {answer.pieces.slice(-2).map((piece) => (
          <PieceButton key={piece.key ?? piece.text} piece={piece} />
        ))}
      </span>
      {/* What is covered may stand on the next line; the sentence need not follow it there. */}{" "}
      <span className="covers">
        {students(answer.covered)}
        {out > 0 && (
          <>
            {" · "}
            <button type="button" className="open" onClick={() => open({ left_out: true })}>
              {out} {words.leftOut}
            </button>
          </>
        )}
      </span>
    </div>
  );
}
