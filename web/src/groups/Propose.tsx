/** Propose groups: what is asked for, what comes of it and why, and taking it over. */
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { Name, useSaid } from "../people/Hiding";
import { useMe } from "../people/me";
import { usePins } from "../pins/PinContext";
import { asked, type Scope } from "../scope/scope";
import { useAct } from "../step/useAct";
import { board as words } from "../words/steps/board";
import css from "./board.module.css";

type Board = Schemas["BoardAnswer"];
type Asked = Schemas["ProposalAsked"];
type Proposal = Schemas["ProposalAnswer"];
interface Student {
  id: string;
  name: string;
}
type Pair = [string, string];

const WEEKS = 8;

function later(day: string, weeks: number): string {
  const date = new Date(`${day}T12:00:00`);
  date.setDate(date.getDate() + 7 * weeks);
  return date.toISOString().slice(0, 10);
}

/** Pairs of students who are kept apart, or together. */
function Pairs(props: {
  label: string;
  students: Student[];
  pairs: Pair[];
  onChange: (pairs: Pair[]) => void;
}) {
  const { label, students, pairs } = props;
  const said = useSaid();
  const [one, setOne] = useState("");
  const [other, setOther] = useState("");
  const name = (id: string) => said(students.find((student) => student.id === id)?.name ?? id);
  const choose = (value: string, set: (id: string) => void, which: string) => (
    <select
      className="plain"
      aria-label={`${label} ${which}`}
      value={value}
      onChange={(event) => set(event.target.value)}
    >
      <option value="">–</option>
      {students.map((student) => (
        <option key={student.id} value={student.id}>
          {said(student.name)}
        </option>
      ))}
    </select>
  );
  return (
    <div className={css.pair}>
      <span>{label}</span>
      {choose(one, setOne, "1")} {words.and} {choose(other, setOther, "2")}
      <button
        type="button"
        className="plain"
        disabled={!one || !other || one === other}
        onClick={() => {
          props.onChange([...pairs, [one, other]]);
          setOne("");
          setOther("");
        }}
      >
        {words.addPair}
      </button>
      {pairs.map((pair) => (
        <span key={pair.join()}>
          {name(pair[0])} {words.and} {name(pair[1])}{" "}
          <button
            type="button"
            className="word"
            aria-label={`${words.remove} ${name(pair[0])} ${words.and} ${name(pair[1])}`}
            onClick={() => props.onChange(pairs.filter((kept) => kept !== pair))}
          >
            ×
          </button>
        </span>
      ))}
    </div>
  );
}

interface AdultRow {
  adult: string;
  slots: string;
}

function Adults({ rows, onChange }: { rows: AdultRow[]; onChange: (rows: AdultRow[]) => void }) {
  const adults = useQuery({ queryKey: ["adults"], queryFn: () => got(client.GET("/api/groups/adults")) });
  const change = (at: number, part: Partial<AdultRow>) =>
    onChange(rows.map((row, place) => (place === at ? { ...row, ...part } : row)));
  return (
    <fieldset style={{ border: 0, padding: 0, margin: "4px 0 8px" }}>
      <legend className="quiet small">{words.adults}</legend>
      {rows.map((row, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a row is its place
        <div className={css.pair} key={at}>
          <select
            className="plain"
            aria-label={`${words.adult} ${at + 1}`}
            value={row.adult}
            onChange={(event) => change(at, { adult: event.target.value })}
          >
            <option value="">–</option>
            {(adults.data ?? []).map((one) => (
              <option key={one.id}>{one.name}</option>
            ))}
          </select>
          <input
            className="plain"
            aria-label={`${words.slots} ${at + 1}`}
            placeholder={words.slotsHint}
            value={row.slots}
            onChange={(event) => change(at, { slots: event.target.value })}
          />
          <button
            type="button"
            className="word"
            aria-label={`${words.remove} ${words.adult} ${at + 1}`}
            onClick={() => onChange(rows.filter((_, place) => place !== at))}
          >
            ×
          </button>
        </div>
      ))}
      <button type="button" className="word" onClick={() => onChange([...rows, { adult: "", slots: "" }])}>
        {words.addAdult}
      </button>
    </fieldset>
  );
}

/** The proposed groups as columns, each name with its reason. */
function Proposed(props: {
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
          {words.from}{" "}
          <input
            className="plain"
            type="date"
            value={first}
            onChange={(event) => setFirst(event.target.value)}
          />
        </label>
        <label>
          {words.to}{" "}
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

export function Propose(props: {
  scope: Scope;
  board: Board;
  onDone: (said: string | null, act: number | null) => void;
}) {
  const { scope, board } = props;
  const { pinned } = usePins();
  const act = useAct("group");
  const free = board.cards
    .filter((card) => board.free.includes(card.student_id))
    .map((card) => ({ id: card.student_id, name: card.name }));
  const [whom, setWhom] = useState<"pinned" | "free">(pinned.length ? "pinned" : "free");
  const students: Student[] = whom === "pinned" ? pinned : free;
  const [number, setNumber] = useState(4);
  const [fewest, setFewest] = useState(3);
  const [most, setMost] = useState(8);
  const [apart, setApart] = useState<Pair[]>([]);
  const [together, setTogether] = useState<Pair[]>([]);
  const [adults, setAdults] = useState<AdultRow[]>([]);
  const [proposal, setProposal] = useState<Proposal | null>(null);
  const run = async (loose?: Partial<Asked>) => {
    const body: Asked = {
      students: students.map((one) => one.id),
      number,
      fewest,
      most,
      apart,
      together,
      adults: adults
        .map((row) => ({ adult: row.adult, slots: row.slots.split(",").map((slot) => slot.trim()) }))
        .map((row) => ({ ...row, slots: row.slots.filter(Boolean) }))
        .filter((row) => row.adult && row.slots.length > 0),
      stays: [],
      ...loose,
    };
    const found = await act.run(
      () => got(client.POST("/api/board/proposals", { params: { query: asked(scope) }, body })),
      () => ({ said: "", act: null }),
    );
    setProposal(found);
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
  return (
    <section aria-label={words.propose}>
      <form onSubmit={send}>
        <h2>{words.proposeFrom(students.length)}</h2>
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
            {words.freeOnes(free.length)}
          </label>
        </div>
        <div className={css.form}>
          {whole(words.number, number, setNumber, 1)}
          {whole(words.fewest, fewest, setFewest, 0)}
          {whole(words.most, most, setMost, 1)}
        </div>
        <Adults rows={adults} onChange={setAdults} />
        <Pairs label={words.apart} students={students} pairs={apart} onChange={setApart} />
        <Pairs label={words.together} students={students} pairs={together} onChange={setTogether} />
        {act.fault && (
          <p className="fault" role="alert">
            {act.fault.message}
          </p>
        )}
        <div className={css.pair}>
          <button
            type="submit"
            className={proposal?.groups.length ? "plain" : "act"}
            disabled={act.busy || !students.length}
          >
            {words.run}
          </button>
          <button type="button" className="plain" onClick={() => props.onDone(null, null)}>
            {words.discard}
          </button>
          <span role="status">{act.busy && words.working}</span>
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
      {proposal && proposal.groups.length > 0 && (
        <Proposed
          key={JSON.stringify(proposal.groups)}
          proposal={proposal}
          scope={scope}
          sizes={{ fewest, most }}
          board={board}
          onDone={props.onDone}
        />
      )}
    </section>
  );
}
