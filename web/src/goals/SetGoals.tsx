/** Goals for one student or many: what each takes, how usual it is, and setting them in one go. */
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { BandMark } from "../marks/BandMark";
import { Name } from "../people/Hiding";
import { useScope } from "../scope/ScopeContext";
import { asked, type Scope } from "../scope/scope";
import { How } from "../step/How";
import { type Act, useAct } from "../step/useAct";
import { Dialog } from "../ui/Dialog";
import { FormEnd } from "../ui/FormEnd";
import { percent, score, signed, students } from "../words/format";

type Offers = Schemas["GoalOffers"];
type Aim = Schemas["Aim"];
type Kind = "keep pace" | "catch up" | "own";

function AimCells({ aim }: { aim: Aim | null | undefined }) {
  if (!aim)
    return (
      <td colSpan={3} className="quiet">
        cannot be worked out
      </td>
    );
  if (aim.there)
    return (
      <td colSpan={3} className="quiet">
        is there already
      </td>
    );
  return (
    <>
      <td className="num">
        <b>{score(aim.score)}</b>
      </td>
      <td className="num" title={`${aim.a_week.toFixed(2)} points a week of instruction`}>
        {signed(aim.points)} <span className="quiet small">{aim.a_week.toFixed(1)} a week</span>
      </td>
      <td title={`${percent(aim.usual)} of students who start here gain as much`}>
        {aim.words}
        {aim.below_pace && <span className="quiet small"> · less than keeping pace</span>}
      </td>
    </>
  );
}

function OfferTable({ offers, kind, points }: { offers: Offers; kind: Kind; points: number }) {
  const latest = offers.latest;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: the list scrolls on its own
    <section className="offers" tabIndex={0} aria-label="What it takes">
      <table className="rows">
        <thead>
          <tr>
            <th>Student</th>
            <th className="num">Start</th>
            <th className="num">Goal</th>
            <th className="num">To gain</th>
            <th title="Of the students who start at this score, how many gain as much">
              <How of="goals">How usual</How>
            </th>
          </tr>
        </thead>
        <tbody>
          {offers.rows.map((row) => (
            <tr key={row.student_id}>
              <td>
                <Name name={row.name} />
              </td>
              <td className="num">
                {row.start_window !== latest && (
                  <span className="quiet small" title="There is no later result; this start is old">
                    {row.start_window}{" "}
                  </span>
                )}
                {score(row.start)}{" "}
                <BandMark
                  order={offers.bands.indexOf(row.start_band ?? "") + 1 || null}
                  bands={offers.bands}
                />
              </td>
              {kind === "own" ? (
                <>
                  <td className="num">
                    <b>{score(row.start + points)}</b>
                  </td>
                  <td className="num">{signed(points)}</td>
                  <td className="quiet small">keeping pace is {score(row.keep_pace?.score)}</td>
                </>
              ) : (
                <AimCells aim={kind === "keep pace" ? row.keep_pace : row.catch_up} />
              )}
            </tr>
          ))}
        </tbody>
      </table>
      {offers.without.length > 0 && (
        <p className="quiet small">
          Without a start score in these windows: {offers.without.slice(0, 6).join(", ")}
          {offers.without.length > 6 && ` and ${offers.without.length - 6} more`}.
        </p>
      )}
    </section>
  );
}

/** What catching up means: a band, or a percentile. */
function CatchUp(props: { offers: Offers; target: string; setTarget: (target: string) => void }) {
  const { offers } = props;
  const bands = offers.bands
    .map((band, at) => [`band ${at + 1}`, `the lowest score of ${band}`] as const)
    .slice(1);
  const ranks = [25, 40, 50, 60, 75].map((p) => [`percentile ${p}`, `percentile ${p} of the norms`] as const);
  const first = offers.band ? `band ${offers.band}` : "percentile 50";
  return (
    <label className="field">
      <span>Catching up means</span>
      <select value={props.target || first} onChange={(event) => props.setTarget(event.target.value)}>
        {[...bands, ...ranks].map(([value, label]) => (
          <option key={value} value={value}>
            {label}
          </option>
        ))}
      </select>
    </label>
  );
}

function targetOf(target: string): { band?: number; percentile?: number } {
  const [what, value] = target.split(" ");
  return what === "band"
    ? { band: Number(value) }
    : what === "percentile"
      ? { percentile: Number(value) }
      : {};
}

function Done({ done, act, onClose }: { done: Schemas["GoalsSet"]; act: Act; onClose: () => void }) {
  const undone = act.last === null;
  return (
    <>
      <p role="status">
        {act.fault?.message ??
          (undone
            ? "Undone. Goals are as they were before."
            : `${students(done.n)} ${done.n === 1 ? "has" : "have"} a goal now, by ${done.by_day}.`)}
      </p>
      {done.left_out.length > 0 && (
        <p className="quiet small">
          Without a goal, since they are there already or nothing could be worked out:{" "}
          {done.left_out.join(", ")}.
        </p>
      )}
      <div className="buttons">
        {!undone && (
          <button type="button" className="plain" onClick={() => act.undo(done.act)}>
            Undo
          </button>
        )}
        <button type="button" className="act" onClick={onClose}>
          Done
        </button>
      </div>
    </>
  );
}

export function SetGoals({
  students: chosen,
  onClose,
}: {
  students: { id: string; name: string }[];
  onClose: () => void;
}) {
  const { scope } = useScope();
  const act = useAct("goal");
  const [kind, setKind] = useState<Kind>("catch up");
  const [target, setTarget] = useState("");
  const [points, setPoints] = useState("10");
  const [plan, setPlan] = useState("");
  const [agreed, setAgreed] = useState("");
  const [review, setReview] = useState("");
  const [done, setDone] = useState<Schemas["GoalsSet"] | null>(null);
  const body = { students: chosen.map((one) => one.id), ...targetOf(target) };
  const offers = useQuery({
    queryKey: ["goals", scope, body],
    queryFn: () => got(client.POST("/api/goals/offers", { params: { query: asked(scope as Scope) }, body })),
    enabled: Boolean(scope),
    placeholderData: (before) => before,
  });
  const send = async (event: FormEvent) => {
    event.preventDefault();
    const goals = {
      ...body,
      kind,
      ...(kind === "own" ? { points: Number(points) } : {}),
      ...(plan ? { plan } : {}),
      ...(agreed ? { agreed_with: agreed } : {}),
      ...(review ? { review_on: review } : {}),
    };
    setDone(
      await act.run(
        () => got(client.POST("/api/goals", { params: { query: asked(scope as Scope) }, body: goals })),
        (set) => ({ said: set.said, act: set.act }),
      ),
    );
  };
  return (
    <Dialog title={done ? "Goals are set" : `Goals for ${students(chosen.length)}`} wide onClose={onClose}>
      {done ? (
        <Done done={done} act={act} onClose={onClose} />
      ) : (
        <form onSubmit={send}>
          <fieldset className="choice" aria-label="Kind of goal" style={{ marginBottom: 10 }}>
            {(
              [
                ["keep pace", "keep pace"],
                ["catch up", "catch up"],
                ["own", "a goal of our own"],
              ] as const
            ).map(([value, label]) => (
              <button key={value} type="button" aria-pressed={kind === value} onClick={() => setKind(value)}>
                {label}
              </button>
            ))}
          </fieldset>
          {offers.isError && (
            <p className="fault" role="alert">
              {offers.error.message}
            </p>
          )}
          {offers.data && (
            <>
              <p className="quiet small">
                By {offers.data.until}.{" "}
                {kind === "keep pace"
                  ? "Keeping pace only keeps the place: half of those who start here gain as much."
                  : "What it takes from each one's latest score."}
              </p>
              {kind === "catch up" && <CatchUp offers={offers.data} target={target} setTarget={setTarget} />}
              {kind === "own" && (
                <label className="field">
                  <span>Points to gain</span>
                  <input
                    type="number"
                    min={1}
                    max={500}
                    value={points}
                    onChange={(event) => setPoints(event.target.value)}
                    required
                  />
                </label>
              )}
              <OfferTable offers={offers.data} kind={kind} points={Number(points) || 0} />
            </>
          )}
          <label className="field">
            <span>What the student will do</span>
            <input value={plan} maxLength={500} onChange={(event) => setPlan(event.target.value)} />
          </label>
          <div className="two">
            <label className="field">
              <span>Agreed with</span>
              <input value={agreed} maxLength={160} onChange={(event) => setAgreed(event.target.value)} />
            </label>
            <label className="field">
              <span>Look again on</span>
              <input type="date" value={review} onChange={(event) => setReview(event.target.value)} />
            </label>
          </div>
          <FormEnd
            fault={act.fault?.message ?? ""}
            onClose={onClose}
            act={
              chosen.length === 1 ? "Set the goal" : `Set ${offers.data?.rows.length ?? chosen.length} goals`
            }
            disabled={!offers.data?.rows.length}
          />
        </form>
      )}
    </Dialog>
  );
}
