/** The groups proposed: each name with its reason, and making them groups. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { Name, useSaid } from "../people/Hiding";
import { useMe } from "../people/me";
import type { Scope } from "../scope/scope";
import { useAct } from "../step/useAct";
import { groups as words } from "../words/steps/groups";
import css from "./board.module.css";

type Board = Schemas["BoardAnswer"];
type Proposal = Schemas["ProposalAnswer"];

const WEEKS = 8;

function later(day: string, weeks: number): string {
  const date = new Date(`${day}T12:00:00`);
  date.setDate(date.getDate() + 7 * weeks);
  return date.toISOString().slice(0, 10);
}

/** The proposed groups as columns, each name with its reason. */
export function Proposed(props: {
  proposal: Proposal;
  scope: Scope;
  sizes: { fewest: number; most: number };
  board: Board;
  onDone: (said: string | null, act: number | null) => void;
}) {
  const { proposal, scope, board } = props;
  const me = useMe();
  const said = useSaid();
  const act = useAct("group");
  const adults = useQuery({ queryKey: ["adults"], queryFn: () => got(client.GET("/api/groups/adults")) });
  const [names, setNames] = useState(proposal.groups.map((_, at) => words.proposedGroup(at + 1)));
  const [first, setFirst] = useState(me.today);
  const [last, setLast] = useState(later(me.today, WEEKS));
  const [instead, setInstead] = useState(false);
  const badly = proposal.groups.flatMap((group) => group.students.filter((one) => one.badly));
  const accept = async () => {
    const groups = proposal.groups.flatMap((group, at) =>
      group.students.length
        ? [
            {
              name: names[at] ?? "",
              focus: group.focus,
              adult_id: adults.data?.find((one) => one.name === group.adult)?.id ?? null,
              slot: group.slot,
              students: group.students.map((one) => one.student_id),
            },
          ]
        : [],
    );
    const done = await act.run(
      () =>
        got(
          client.POST("/api/board/accepted", {
            body: {
              groups,
              ...props.sizes,
              assessment: scope.assessment,
              subject: scope.subject,
              first_day: first,
              last_day: last,
              instead_of: instead
                ? board.columns.filter((column) => column.may_change).map((column) => column.id)
                : [],
            },
          }),
        ),
      (answer) => ({ said: answer.said, act: answer.id }),
    );
    if (done) props.onDone(words.accepted, done.id);
  };
  return (
    <section aria-label={words.proposal}>
      <h2>{words.proposal}</h2>
      <p>{proposal.said}</p>
      {badly.length > 0 && <p>{words.badlyServed(badly.map((one) => said(one.name)).join(", "))}</p>}
      {proposal.left_out.length > 0 && <p>{words.leftOut(proposal.left_out.map(said).join(", "))}</p>}
      <div className={css.board}>
        {proposal.groups.map((group, at) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a proposed group is its place
          <section key={at} className={css.column} aria-label={names[at]}>
            <header>
              <label>
                <span className="unseen">
                  {words.name} {at + 1}
                </span>
                <input
                  className="plain"
                  style={{ width: "100%" }}
                  value={names[at]}
                  maxLength={160}
                  onChange={(event) =>
                    setNames(names.map((name, place) => (place === at ? event.target.value : name)))
                  }
                />
              </label>
              <p>{words.focusOf(group.focus)}</p>
              {group.slot && <p>{words.meets(group.slot, group.adult ?? words.noAdult)}</p>}
              <p>{words.size(group.students.length)}</p>
            </header>
            <ol className={css.cards}>
              {group.students.map((one) => (
                <li key={one.student_id} className={css.card}>
                  <Name name={one.name} />
                  <small>
                    {one.words}
                    {one.second != null && `; ${words.second(names[one.second] ?? "")}`}
                    {one.badly && `; ${words.badly}`}
                  </small>
                </li>
              ))}
            </ol>
          </section>
        ))}
      </div>
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
        <button type="button" className="act" disabled={act.busy} onClick={accept}>
          {words.accept}
        </button>
        <button type="button" className="plain" onClick={() => props.onDone(null, null)}>
          {words.discard}
        </button>
      </div>
      {act.fault && (
        <p className="fault" role="alert">
          {act.fault.message}
        </p>
      )}
    </section>
  );
}
