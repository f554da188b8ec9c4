/** Propose groups: what is asked for, what comes of it and why, and taking it over. */
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { usePins } from "../pins/PinContext";
import { asked, type Scope } from "../scope/scope";
import { useAct } from "../step/useAct";
import { groups as words } from "../words/steps/groups";
import css from "./board.module.css";
import { type AdultRow, Adults, type Pair, Pairs, type Student } from "./ProposalRules";
import { Proposed } from "./Proposed";

type Board = Schemas["BoardAnswer"];
type Asked = Schemas["ProposalAsked"];
type Proposal = Schemas["ProposalAnswer"];

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
