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
import { Choice } from "../ui/Choice";
import { Dialog } from "../ui/Dialog";
import { FormEnd } from "../ui/FormEnd";
import { goals as words } from "../words/around/goals";
import { day, percent, score, signed, students } from "../words/format";

type Offers = Schemas["GoalOffers"];
type Aim = Schemas["Aim"];
type Kind = "keep pace" | "catch up" | "own";

function AimCells({ aim }: { aim: Aim | null | undefined }) {
  if (!aim)
    return (
      <td colSpan={3} className="quiet">
        {words.cannotBeWorkedOut}
      </td>
    );
  if (aim.there)
    return (
      <td colSpan={3} className="quiet">
        {words.isThereAlready}
      </td>
    );
  return (
    <>
      <td className="num">
        <b>{score(aim.score)}</b>
      </td>
      <td className="num" title={words.pointsAWeekOfInstruction(aim.a_week.toFixed(2))}>
        {signed(aim.points)}{" "}
        <span className="quiet small">
          {aim.a_week.toFixed(1)} {words.aWeek}
        </span>
      </td>
      <td title={words.ofStudentsWhoStartHere(percent(aim.usual))}>
        {aim.words}
        {aim.below_pace && <span className="quiet small"> {words.lessThanKeepingPace}</span>}
      </td>
    </>
  );
}

function OfferTable({ offers, kind, points }: { offers: Offers; kind: Kind; points: number }) {
  const latest = offers.latest;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: the list scrolls on its own
    <section className="offers" tabIndex={0} aria-label={words.whatItTakes}>
      <table className="rows">
        <thead>
          <tr>
            <th>{words.student}</th>
            <th className="num">{words.start}</th>
            <th className="num">{words.goal}</th>
            <th className="num">{words.toGain}</th>
            <th title={words.ofTheStudentsWhoStart}>
              <How of="goals">{words.howUsual}</How>
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
                  <span className="quiet small" title={words.thereIsNoLaterResult}>
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
                  <td className="quiet small">
                    {words.keepingPaceIs} {score(row.keep_pace?.score)}
                  </td>
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
          {words.withoutAStartScoreIn} {offers.without.slice(0, 6).join(", ")}
          {offers.without.length > 6 && words.andMore(offers.without.length - 6)}.
        </p>
      )}
    </section>
  );
}

/** What catching up means: a band, or a percentile. */
function CatchUp(props: { offers: Offers; target: string; setTarget: (target: string) => void }) {
  const { offers } = props;
  const bands = offers.bands
    .map((band, at) => [`band ${at + 1}`, words.theLowestScoreOf(band)] as const)
    .slice(1);
  const ranks = [25, 40, 50, 60, 75].map((p) => [`percentile ${p}`, words.percentileOfTheNorms(p)] as const);
  const first = offers.band ? `band ${offers.band}` : "percentile 50";
  return (
    <label className="field">
      <span>{words.catchingUpMeans}</span>
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

/** How many get a goal of a kind: who has reached it already, or has none that can be worked out, is left out. */
function whoGet(offers: Offers, kind: Kind): number {
  if (kind === "own") return offers.rows.length;
  const aims = offers.rows.map((row) => (kind === "keep pace" ? row.keep_pace : row.catch_up));
  return aims.filter((aim) => aim && !aim.there).length;
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
            ? words.undoneGoalsAreAsThey
            : words.aGoalNowBy(students(done.n), done.n === 1 ? "has" : "have", day(done.by_day)))}
      </p>
      {done.left_out.length > 0 && (
        <p className="quiet small">
          {words.withoutAGoalSinceThey} {done.left_out.join(", ")}.
        </p>
      )}
      <div className="buttons">
        {!undone && (
          <button type="button" className="plain" onClick={() => act.undo(done.act)}>
            {words.undo}
          </button>
        )}
        <button type="button" className="act" onClick={onClose}>
          {words.done}
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
  const getting = offers.data ? whoGet(offers.data, kind) : chosen.length;
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
    <Dialog title={done ? words.goalsAreSet : words.goalsFor(students(chosen.length))} wide onClose={onClose}>
      {done ? (
        <Done done={done} act={act} onClose={onClose} />
      ) : (
        <form onSubmit={send}>
          <div className="u-below-10">
            <Choice<Kind>
              label={words.kindOfGoal}
              value={kind}
              options={[
                ["keep pace", words.keepPace],
                ["catch up", words.catchUp],
                ["own", words.aGoalOfOurOwn],
              ]}
              onChange={setKind}
            />
          </div>
          {offers.isError && (
            <p className="fault" role="alert">
              {offers.error.message}
            </p>
          )}
          {offers.data && (
            <>
              <p className="quiet small">
                {words.by} {offers.data.until}.{" "}
                {kind === "keep pace" ? words.keepingPaceOnlyKeepsThe : words.whatItTakesFromEach}
              </p>
              {kind === "catch up" && <CatchUp offers={offers.data} target={target} setTarget={setTarget} />}
              {kind === "own" && (
                <label className="field">
                  <span>{words.pointsToGain}</span>
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
            <span>{words.whatTheStudentWillDo}</span>
            <input value={plan} maxLength={500} onChange={(event) => setPlan(event.target.value)} />
          </label>
          <div className="two">
            <label className="field">
              <span>{words.agreedWith}</span>
              <input value={agreed} maxLength={160} onChange={(event) => setAgreed(event.target.value)} />
            </label>
            <label className="field">
              <span>{words.lookAgainOn}</span>
              <input type="date" value={review} onChange={(event) => setReview(event.target.value)} />
            </label>
          </div>
          <FormEnd
            fault={act.fault?.message ?? ""}
            onClose={onClose}
            act={getting > 1 ? words.setGoals(getting) : words.setTheGoal}
            disabled={!offers.data || !getting}
          />
        </form>
      )}
    </Dialog>
  );
}
