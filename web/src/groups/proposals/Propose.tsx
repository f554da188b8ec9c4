/** Propose groups: what is asked for, the search as it goes, and what comes of it. */
import { type FormEvent, useEffect, useRef, useState } from "react";
import type { Refused, Schemas } from "../../api/client";
import { lines } from "../../api/lines";
import { usePins } from "../../pins/PinContext";
import { type Scope, writeScope } from "../../scope/scope";
import { many } from "../../words/format";
import { groups as words } from "../../words/steps/groups";
import css from "../board.module.css";
import { byOf, GroupBy, type Wanted } from "./GroupBy";
import { type AdultRow, Adults, type Pair, Pairs, type StayRow, Stays, type Student } from "./ProposalRules";
import { Proposed } from "./Proposed";

type Board = Schemas["BoardAnswer"];
type Asked = Schemas["ProposalAsked"];
type Proposal = Schemas["ProposalAnswer"];
type Line = Schemas["ProposalLine"];

const slotsOf = (text: string) =>
  text
    .split(",")
    .map((slot) => slot.trim())
    .filter(Boolean);

/** A search under way: the best so far is shown as it comes; stopped, it stays. */
function useSearch(scope: Scope) {
  const [found, setFound] = useState<{ asked: Asked; proposal: Proposal; final: boolean } | null>(null);
  const [busy, setBusy] = useState(false);
  const [fault, setFault] = useState("");
  const running = useRef<AbortController | null>(null);
  useEffect(() => () => running.current?.abort(), []);
  const run = async (asked: Asked) => {
    running.current?.abort();
    const control = new AbortController();
    running.current = control;
    setBusy(true);
    setFault("");
    setFound(null);
    try {
      await lines<Line>(
        `/api/board/proposals?${writeScope(scope)}`,
        asked,
        ({ proposal, final }) => setFound({ asked, proposal, final }),
        control.signal,
      );
    } catch (error) {
      if (!control.signal.aborted) setFault((error as Refused).message);
    }
    if (running.current === control) setBusy(false);
  };
  const stop = () => {
    running.current?.abort();
    setBusy(false);
  };
  return { found, busy, fault, run, stop };
}

export function Propose(props: {
  scope: Scope;
  board: Board;
  onDone: (said: string | null, act: number | null) => void;
}) {
  const { scope, board } = props;
  const { pinned } = usePins();
  const search = useSearch(scope);
  const names = new Map(board.cards.map((card) => [card.student_id, card.name]));
  const free = board.free.map((id) => ({ id, name: names.get(id) ?? id }));
  const [whom, setWhom] = useState<"pinned" | "free">(pinned.length ? "pinned" : "free");
  const students: Student[] = whom === "pinned" ? pinned : free;
  const [wanted, setWanted] = useState<Wanted>({ strands: true, score: false, standards: [], foci: null });
  const [number, setNumber] = useState(4);
  const [fewest, setFewest] = useState(3);
  const [most, setMost] = useState(8);
  const [apart, setApart] = useState<Pair[]>([]);
  const [together, setTogether] = useState<Pair[]>([]);
  const [adults, setAdults] = useState<AdultRow[]>([]);
  const [stays, setStays] = useState<StayRow[]>([]);
  /** The last proposal that was asked for before this one, to look at side by side. */
  const [earlier, setEarlier] = useState<Proposal | null>(null);
  const { found } = search;
  const proposal = found?.proposal ?? null;
  const run = (loose?: Partial<Asked>) => {
    if (proposal?.groups.length) setEarlier(proposal);
    return search.run({
      students: students.map((one) => one.id),
      by: byOf(wanted),
      foci: wanted.foci ?? [],
      number,
      fewest,
      most,
      apart,
      together,
      adults: adults
        .map((row) => ({ adult: row.adult, slots: slotsOf(row.slots) }))
        .filter((row) => row.adult && row.slots.length > 0),
      stays: stays
        .map((row) => ({ student_id: row.student, slots: slotsOf(row.slots) }))
        .filter((row) => row.student_id && row.slots.length > 0),
      ...loose,
    });
  };
  const send = (event: FormEvent) => {
    event.preventDefault();
    run();
  };
  /** What giving up a rule of the clash means here. */
  const loosen = (rule: Schemas["ClashRule"]) => {
    if (rule.kind === "most") {
      setMost(students.length);
      run({ most: students.length });
    } else if (rule.kind === "fewest") {
      setFewest(0);
      run({ fewest: 0 });
    } else if (rule.kind === "apart" || rule.kind === "together") {
      const keep = (pairs: Pair[]) => pairs.filter((pair) => !pair.every((id) => rule.students.includes(id)));
      const loose = rule.kind === "apart" ? { apart: keep(apart) } : { together: keep(together) };
      if (loose.apart) setApart(loose.apart);
      if (loose.together) setTogether(loose.together);
      run(loose);
    } else if (rule.kind === "slots") {
      const keep = stays.filter((row) => !rule.students.includes(row.student));
      setStays(keep);
      run({ stays: keep.map((row) => ({ student_id: row.student, slots: slotsOf(row.slots) })) });
    } else {
      setAdults([]);
      run({ adults: [] });
    }
  };
  const whole = (label: string, value: number, set: (n: number) => void, low: number) => (
    <label className="field">
      <span>{label}</span>
      <input
        type="number"
        min={low}
        max={300}
        value={value}
        onChange={(event) => set(Math.max(low, Number(event.target.value)))}
      />
    </label>
  );
  const nothingToGoBy = byOf(wanted).length === 0;
  const tooMany = whom === "free" && board.free_n > free.length;
  return (
    <section aria-label={words.propose}>
      <form onSubmit={send}>
        <h2>{words.proposeFrom(many(whom === "free" ? board.free_n : students.length))}</h2>
        <div className={css.pair}>
          <span>{words.whom}</span>
          {pinned.length > 0 && (
            <label>
              <input type="radio" checked={whom === "pinned"} onChange={() => setWhom("pinned")} />{" "}
              {words.pinnedOnes(pinned.length)}
            </label>
          )}
          <label>
            <input type="radio" checked={whom === "free"} onChange={() => setWhom("free")} />{" "}
            {words.freeOnes(many(board.free_n))}
          </label>
        </div>
        {tooMany && <p className="aside">{words.tooManyFree(free.length)}</p>}
        <GroupBy scope={scope} wanted={wanted} onChange={setWanted} />
        <div className={css.form}>
          {!wanted.foci && whole(words.number, number, setNumber, 1)}
          {whole(words.fewest, fewest, setFewest, 0)}
          {whole(words.most, most, setMost, 1)}
        </div>
        <Adults rows={adults} onChange={setAdults} />
        {adults.length > 0 && <Stays students={students} rows={stays} onChange={setStays} />}
        <Pairs label={words.apart} students={students} pairs={apart} onChange={setApart} />
        <Pairs label={words.together} students={students} pairs={together} onChange={setTogether} />
        {search.fault && (
          <p className="fault" role="alert">
            {search.fault}
          </p>
        )}
        <div className={css.pair}>
          <button
            type="submit"
            className={proposal?.groups.length ? "plain" : "act"}
            disabled={search.busy || !students.length || nothingToGoBy || tooMany}
          >
            {words.run}
          </button>
          {search.busy && (
            <button type="button" className="plain" onClick={search.stop}>
              {proposal?.groups.length ? words.stopAndKeep : words.stop}
            </button>
          )}
          <button type="button" className="plain" onClick={() => props.onDone(null, null)}>
            {words.discard}
          </button>
          <span role="status">{search.busy && words.working(proposal?.said ?? "")}</span>
        </div>
      </form>
      {proposal && proposal.clash.length > 0 && (
        <div role="alert">
          <p className="fault">{words.clash}</p>
          {proposal.clash.map((rule) => (
            <p key={rule.words}>
              <button type="button" className="plain" onClick={() => loosen(rule)}>
                {words.looseThis(rule.words)}
              </button>
            </p>
          ))}
        </div>
      )}
      {proposal && proposal.clash.length === 0 && proposal.groups.length === 0 && <p>{proposal.said}</p>}
      {found && found.proposal.groups.length > 0 && (
        <Proposed
          key={JSON.stringify(found.proposal.groups)}
          asked={found.asked}
          proposal={found.proposal}
          searching={search.busy}
          earlier={earlier}
          scope={scope}
          board={board}
          onDone={props.onDone}
        />
      )}
    </section>
  );
}
