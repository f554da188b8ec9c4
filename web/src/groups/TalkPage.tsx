/** The goal talk: a sheet a student with the figures filled in, and the goals agreed entered in one pass. */
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, type KeyboardEvent, memo, useCallback, useRef, useState } from "react";
import { Link } from "react-router";
import { client, got, type Schemas } from "../api/client";
import { Name } from "../people/Hiding";
import { useMe } from "../people/me";
import { usePins } from "../pins/PinContext";
import { useScope } from "../scope/ScopeContext";
import { asked, type Scope } from "../scope/scope";
import { Done } from "../step/Done";
import { Fault } from "../step/Fault";
import { NothingHere } from "../step/NothingHere";
import { Shown } from "../step/Shown";
import { useAct } from "../step/useAct";
import { PrintButton } from "../ui/PrintButton";
import { weeksLater } from "../words/days";
import { rank, score, season } from "../words/format";
import { groups as words } from "../words/steps/groups";
import css from "./talk.module.css";

type Row = Schemas["StudentRow"];
type Offer = Schemas["Offer"];

/** Sheets in one go; more is not one talk. */
const MOST = 300;

interface Typed {
  target: string;
  plan: string;
}

const NOTHING: Typed = { target: "", plan: "" };

function range(low: number | null, high: number | null): string {
  return low === null || high === null ? "" : ` (${words.percentilesFrom(rank(low), rank(high))})`;
}

function Standing(props: {
  title: string;
  window: string;
  value: number | null;
  percentile: number | null;
  more?: string;
}) {
  const { value } = props;
  return (
    <div>
      <h3>{props.title}</h3>
      <p>
        {value === null
          ? words.noResultThen(season(props.window))
          : `${season(props.window)}: ${score(value)}${props.percentile === null ? "" : `, ${words.percentile(rank(props.percentile))}`}${props.more ?? ""}`}
      </p>
    </div>
  );
}

/** One student's sheet; drawn anew only where something on it has changed, since a talk may be with hundreds. */
const Sheet = memo(function Sheet(props: {
  row: Row;
  offer: Offer | undefined;
  fromWindow: string;
  toWindow: string;
  typed: Typed;
  onType: (student: string, part: Partial<Typed>) => void;
  onKey: (event: KeyboardEvent) => void;
}) {
  const { row, offer, typed } = props;
  const pace = offer?.keep_pace?.score ?? null;
  const goal = offer?.goal ?? null;
  const low = typed.target !== "" && pace !== null && Number(typed.target) < pace;
  return (
    <article className={css.sheet} aria-label={row.name}>
      <h2>
        <Name name={row.name} /> <span className="quiet small">{row.section}</span>
      </h2>
      <div className={css.parts}>
        <Standing
          title={words.whereIWas}
          window={props.fromWindow}
          value={row.from_score}
          percentile={row.from_percentile}
        />
        <Standing
          title={words.whereIAm}
          window={props.toWindow}
          value={row.to_score}
          percentile={row.to_percentile}
          more={row.to_score === null ? range(row.from_percentile_low, row.from_percentile_high) : ""}
        />
        <div>
          <h3>{words.whereIWantToBe}</h3>
          <label>
            <span className="unseen">{words.targetOf(row.name)}</span>
            <input
              className="plain"
              type="number"
              step="any"
              min={1}
              data-talk
              value={typed.target}
              placeholder={goal === null ? "" : score(goal)}
              onChange={(event) => props.onType(row.student_id, { target: event.target.value })}
              onKeyDown={props.onKey}
            />
          </label>
          <p className="quiet small">
            {pace !== null && words.keepsPace(score(pace))}
            {goal !== null && ` ${words.goalNow(score(goal))}`}
            {low && ` ${words.belowPace}`}
          </p>
        </div>
        <div className={css.plan}>
          <h3>{words.whatIWillDo}</h3>
          <label>
            <span className="unseen">{words.planOf(row.name)}</span>
            <input
              className="plain"
              maxLength={500}
              data-talk
              value={typed.plan}
              onChange={(event) => props.onType(row.student_id, { plan: event.target.value })}
              onKeyDown={props.onKey}
            />
          </label>
          <div className={css.lines} aria-hidden />
        </div>
      </div>
    </article>
  );
});

/** The students' rows of the talk, and what it takes each of them to keep pace. */
function useTalk(scope: Scope | null) {
  const rows = useQuery({
    queryKey: ["growth", "talk", scope],
    queryFn: () =>
      got(
        client.GET("/api/drill-down", {
          params: { query: { ...asked(scope as Scope), matched: false, count: MOST } },
        }),
      ),
    enabled: scope !== null,
  });
  const students = rows.data?.rows.map((row) => row.student_id) ?? [];
  const offers = useQuery({
    queryKey: ["goals", "talk", scope, students],
    queryFn: () =>
      got(
        client.POST("/api/goals/offers", {
          params: { query: asked(scope as Scope) },
          body: { students },
        }),
      ),
    enabled: students.length > 0,
  });
  return { rows, offers: new Map((offers.data?.rows ?? []).map((offer) => [offer.student_id, offer])) };
}

export function TalkPage() {
  const me = useMe();
  const { scope: whole, to } = useScope();
  const { pinned } = usePins();
  const act = useAct("goal");
  // Without a group in the sentence the talk is with the pinned students.
  const scope =
    whole && !whole.group.length && pinned.length
      ? { ...whole, student: pinned.map((one) => one.id) }
      : whole;
  const narrowed = Boolean(whole?.group.length || pinned.length || whole?.student.length);
  const { rows, offers } = useTalk(narrowed ? scope : null);
  const [typed, setTyped] = useState<Record<string, Typed>>({});
  const [by, setBy] = useState(weeksLater(me.today, 12));
  const form = useRef<HTMLFormElement>(null);
  const type = useCallback(
    (student: string, part: Partial<Typed>) =>
      setTyped((now) => ({ ...now, [student]: { ...(now[student] ?? NOTHING), ...part } })),
    [],
  );
  /** Enter goes on to the next field, and from the last one to saving. */
  const onKey = useCallback((event: KeyboardEvent) => {
    if (event.key !== "Enter") return;
    event.preventDefault();
    const fields = [...(form.current?.querySelectorAll<HTMLElement>("[data-talk]") ?? [])];
    fields[fields.indexOf(event.currentTarget as HTMLElement) + 1]?.focus();
  }, []);
  if (!narrowed || !scope) return <NothingHere headline={words.talkOfWhom} lead={words.talkOfWhomLead} />;
  const ready = Object.entries(typed).filter(([, one]) => Number(one.target) > 0);
  const save = async () => {
    const goals = ready.map(([student_id, one]) => ({
      student_id,
      target: Number(one.target),
      plan: one.plan || null,
    }));
    const done = await act.run(
      () =>
        got(
          client.POST("/api/goals/agreed", {
            params: { query: asked(scope) },
            body: { goals, by_day: by },
          }),
        ),
      (answer) => ({ said: answer.said, act: answer.act }),
    );
    if (done) setTyped({});
  };
  return (
    <Shown query={rows}>
      {(data) => (
        <form
          ref={form}
          onSubmit={(event: FormEvent) => {
            event.preventDefault();
            save();
          }}
        >
          <h1>{words.talkWith(data.n)}</h1>
          <p className={`lead ${css.onScreen}`}>{words.talkLead}</p>
          <div role="status" aria-live="polite">
            <Done said={act.said} act={act.last} undo={act.undo} />
          </div>
          <Fault said={act.fault?.message} />
          <p className={css.screen}>
            <PrintButton /> <Link to={to("/groups")}>{words.backToGroups}</Link>
          </p>
          {data.rows.map((row) => (
            <Sheet
              key={row.student_id}
              row={row}
              offer={offers.get(row.student_id)}
              fromWindow={scope.from_window}
              toWindow={scope.to_window}
              typed={typed[row.student_id] ?? NOTHING}
              onType={type}
              onKey={onKey}
            />
          ))}
          <p className={css.end}>
            <label>
              {words.goalsBy}{" "}
              <input
                className="plain"
                type="date"
                required
                data-talk
                value={by}
                onChange={(event) => setBy(event.target.value)}
                onKeyDown={onKey}
              />
            </label>
            <button type="submit" className="act" data-talk disabled={!ready.length || act.busy}>
              {words.saveGoals(ready.length)}
            </button>
          </p>
        </form>
      )}
    </Shown>
  );
}
