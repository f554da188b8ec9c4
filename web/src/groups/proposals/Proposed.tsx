/** The groups proposed: each name with its reason, moved by hand where one knows better, and made groups of. */
import { useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, useState } from "react";
import { client, got, type Refused, type Schemas } from "../../api/client";
import { Name, useSaid } from "../../people/Hiding";
import { useMe } from "../../people/me";
import { asked as askedScope, type Scope } from "../../scope/scope";
import { Fault } from "../../step/Fault";
import { useAct } from "../../step/useAct";
import { weeksLater } from "../../words/days";
import { signed } from "../../words/format";
import { groups as words } from "../../words/steps/groups";
import css from "../board.module.css";
import { Arrangements } from "./Arrangements";

type Board = Schemas["BoardAnswer"];
type Proposal = Schemas["ProposalAnswer"];
type Place = Schemas["ProposedPlace"];

const WEEKS = 8;

/** Students of each group as they stand after moves by hand, and what was said of the last move. */
function useMoves(props: {
  proposal: Proposal;
  asked: Schemas["ProposalAsked"];
  scope: Scope;
  names: string[];
}) {
  const { proposal, asked, scope, names } = props;
  const [groups, setGroups] = useState(() => proposal.groups.map((group) => group.students));
  const [before, setBefore] = useState<Place[][][]>([]);
  const [told, setTold] = useState<{ said: string; broken: string[] } | null>(null);
  const move = async (student: Place, target: number) => {
    if (target >= groups.length || groups[target]?.some((one) => one.student_id === student.student_id))
      return;
    const body = {
      asked,
      groups: groups.map((group) => group.map((one) => one.student_id)),
      slots: proposal.groups.map((group) => group.slot),
      student_id: student.student_id,
      target,
    };
    try {
      const answer = await got(
        client.POST("/api/board/proposals/moves", { params: { query: askedScope(scope) }, body }),
      );
      const moving = new Set(answer.students);
      const moved = groups.flat().filter((one) => moving.has(one.student_id));
      const next = groups.map((group, at) => [
        ...group.filter((one) => !moving.has(one.student_id)),
        ...(at === target ? moved.map((one) => ({ ...one, words: words.byHand, second: null })) : []),
      ]);
      setBefore([...before, groups]);
      setGroups(next);
      setTold({
        said: words.movedByHand(student.name, names[target] ?? "", signed(answer.cost, 1)),
        broken: answer.broken,
      });
      window.setTimeout(() => focusOn(target, next[target]?.length ?? 1), 50);
    } catch (error) {
      setTold({ said: (error as Refused).message, broken: [] });
    }
  };
  const undo = () => {
    const last = before.at(-1);
    if (!last) return;
    setGroups(last);
    setBefore(before.slice(0, -1));
    setTold(null);
  };
  return { groups, move, told, undo: before.length ? undo : null };
}

function focusOn(group: number, row: number): boolean {
  const node = document.querySelector<HTMLElement>(`[data-proposed="${group}-${row - 1}"]`);
  node?.focus();
  return Boolean(node);
}

/** Keys of a proposal: arrows between names, M and a number to move. */
function useProposalKeys(groups: Place[][], move: (student: Place, target: number) => void) {
  const [asking, setAsking] = useState<Place | null>(null);
  const onKey = (event: KeyboardEvent, at: number, row: number, student: Place) => {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    const key = event.key.toLowerCase();
    if (asking && /^[1-9]$/.test(key)) {
      setAsking(null);
      move(student, Number(key) - 1);
    } else if (asking && key === "escape") setAsking(null);
    else if (key === "m") setAsking(student);
    else if (key === "arrowdown") focusOn(at, row + 2);
    else if (key === "arrowup") focusOn(at, row);
    else if (key === "arrowright" || key === "arrowleft") {
      const next = at + (key === "arrowright" ? 1 : -1);
      focusOn(next, Math.min(row + 1, groups[next]?.length ?? 0));
    } else return;
    event.preventDefault();
    event.stopPropagation();
  };
  return { asking, onKey };
}

const reasonOf = (one: Place, names: string[]) =>
  [one.words, one.second != null && words.second(names[one.second] ?? ""), one.badly && words.badly]
    .filter(Boolean)
    .join("; ");

export function Proposed(props: {
  proposal: Proposal;
  asked: Schemas["ProposalAsked"];
  searching: boolean;
  earlier: Proposal | null;
  scope: Scope;
  board: Board;
  onDone: (said: string | null, act: number | null) => void;
}) {
  const { proposal, asked, scope, board } = props;
  const me = useMe();
  const said = useSaid();
  const act = useAct("group");
  const adults = useQuery({ queryKey: ["adults"], queryFn: () => got(client.GET("/api/groups/adults")) });
  const [names, setNames] = useState(proposal.groups.map((_, at) => words.proposedGroup(at + 1)));
  const [first, setFirst] = useState(me.today);
  const [last, setLast] = useState(weeksLater(me.today, WEEKS));
  const [instead, setInstead] = useState(false);
  const [beside, setBeside] = useState<"today" | "earlier" | null>(null);
  const moves = useMoves({ proposal, asked, scope, names });
  const { groups } = moves;
  const { asking, onKey } = useProposalKeys(groups, moves.move);
  const placed = new Set(groups.flat().map((one) => one.student_id));
  const badly = groups.flat().filter((one) => one.badly);
  const accept = async () => {
    const made = proposal.groups.flatMap((group, at) => {
      const students = groups[at] ?? [];
      if (!students.length) return [];
      return {
        name: names[at] ?? "",
        focus: group.focus,
        adult_id: adults.data?.find((one) => one.name === group.adult)?.id ?? null,
        slot: group.slot,
        students: students.map((one) => one.student_id),
        reasons: Object.fromEntries(
          students.map((one) => [one.student_id, reasonOf(one, names).slice(0, 160)]),
        ),
      };
    });
    const body = {
      groups: made,
      fewest: asked.fewest ?? null,
      most: asked.most,
      assessment: scope.assessment,
      subject: scope.subject,
      first_day: first,
      last_day: last,
      instead_of: instead
        ? board.columns.filter((column) => column.may_change).map((column) => column.id)
        : [],
    };
    const done = await act.run(
      () => got(client.POST("/api/board/accepted", { body })),
      (answer) => ({ said: answer.said, act: answer.id }),
    );
    if (done) props.onDone(words.accepted, done.id);
  };
  return (
    <section aria-label={words.proposal}>
      <h2>{words.proposal}</h2>
      <p>{props.searching ? words.soFar(proposal.said) : proposal.said}</p>
      {badly.length > 0 && <p>{words.badlyServed(badly.map((one) => said(one.name)).join(", "))}</p>}
      {proposal.left_out.length > 0 && <p>{words.leftOut(proposal.left_out.map(said).join(", "))}</p>}
      <div role="status" aria-live="polite">
        {asking && <p className="aside">{words.moveInProposal(said(asking.name))}</p>}
        {!asking && moves.told && (
          <p className="aside">
            {moves.told.said} {moves.told.broken.map((rule) => words.breaks(rule)).join(" ")}{" "}
            {moves.undo && (
              <button type="button" className="word" onClick={moves.undo}>
                {words.undo}
              </button>
            )}
          </p>
        )}
      </div>
      <div className={css.board}>
        {proposal.groups.map((group, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a proposed group is its place
          <section key={at} className={css.column} aria-label={names[at]}>
            <header>
              <span className={css.number} aria-hidden>
                {at + 1}
              </span>
              <label>
                <span className="unseen">
                  {words.name} {at + 1}
                </span>
                <input
                  className={`plain ${css.named}`}
                  value={names[at]}
                  maxLength={160}
                  onChange={(event) =>
                    setNames(names.map((name, place) => (place === at ? event.target.value : name)))
                  }
                />
              </label>
              <p>{words.focusOf(group.focus)}</p>
              {group.slot && <p>{words.meets(group.slot, group.adult ?? words.noAdult)}</p>}
              <p>{words.sizeWithin(groups[at]?.length ?? 0, asked.most)}</p>
            </header>
            <ol className={css.cards}>
              {(groups[at] ?? []).map((one, row) => (
                <li key={one.student_id}>
                  <button
                    type="button"
                    className={css.card}
                    data-proposed={`${at}-${row}`}
                    onKeyDown={(event) => onKey(event, at, row, one)}
                  >
                    <Name name={one.name} />
                    <small>{reasonOf(one, names)}</small>
                  </button>
                </li>
              ))}
            </ol>
          </section>
        ))}
      </div>
      <p className="quiet small">{words.proposalKeys}</p>
      <div className={css.pair}>
        <label>
          {words.start}{" "}
          <input
            className="plain"
            type="date"
            value={first}
            onChange={(event) => setFirst(event.target.value)}
          />
        </label>
        <label>
          {words.end}{" "}
          <input
            className="plain"
            type="date"
            value={last}
            onChange={(event) => setLast(event.target.value)}
          />
        </label>
        {board.columns.some((column) => column.may_change) && (
          <label>
            <input type="checkbox" checked={instead} onChange={(event) => setInstead(event.target.checked)} />{" "}
            {words.instead}
          </label>
        )}
        <button type="button" className="act" disabled={act.busy || props.searching} onClick={accept}>
          {words.accept}
        </button>
        <button
          type="button"
          className="plain"
          aria-expanded={beside === "today"}
          onClick={() => setBeside(beside === "today" ? null : "today")}
        >
          {words.sideBySide}
        </button>
        {props.earlier && (
          <button
            type="button"
            className="plain"
            aria-expanded={beside === "earlier"}
            onClick={() => setBeside(beside === "earlier" ? null : "earlier")}
          >
            {words.besideEarlier}
          </button>
        )}
        <button type="button" className="plain" onClick={() => props.onDone(null, null)}>
          {words.discard}
        </button>
      </div>
      <Fault said={act.fault?.message} />
      {beside && (
        <Arrangements
          scope={scope}
          by={asked.by ?? []}
          title={beside === "today" ? words.today : words.theEarlier}
          before={
            beside === "earlier"
              ? (props.earlier?.groups ?? []).map((group, at) => ({
                  name: words.proposedGroup(at + 1),
                  students: group.students.map((one) => one.student_id),
                  minutes: null,
                }))
              : board.columns.map((column) => ({
                  name: column.name,
                  students: instead ? column.members : column.members.filter((one) => placed.has(one)),
                  minutes: column.minutes ?? null,
                }))
          }
          after={proposal.groups.map((_, at) => ({
            name: names[at] ?? "",
            students: (groups[at] ?? []).map((one) => one.student_id),
            minutes: null,
          }))}
        />
      )}
    </section>
  );
}
