/** Practice goals of a marking period, set for many at once. */
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, got } from "../../api/client";
import { usePins } from "../../pins/PinContext";
import { asked, type Scope } from "../../scope/scope";
import type { Act } from "../../step/useAct";
import { Dialog } from "../../ui/Dialog";
import { FormEnd } from "../../ui/FormEnd";
import { followUp as words } from "../../words/steps/follow-up";
import { usePeriod } from "../period/usePeriod";

const number = (text: string) => (text.trim() === "" ? null : Number(text));

/** As many as the server takes in one act. */
const MOST = 2000;

/** Whom the goals are for: those of the list who are pinned, where there are any, else all of it. */
function useWhom(covered: number, scope: Scope) {
  const { query } = usePeriod();
  const { pinned, has } = usePins();
  const many = covered > MOST;
  const answer = useQuery({
    queryKey: ["follow-up", "practice", "students", scope, query, {}],
    queryFn: () =>
      got(
        client.GET("/api/follow-up/practice/students", { params: { query: { ...asked(scope), ...query } } }),
      ),
    enabled: !many || pinned.length > 0,
  });
  const all = (answer.data ?? []).map((one) => one.student_id);
  const mine = all.filter(has);
  const tooMany = mine.length ? mine.length > MOST : many && !answer.isLoading;
  const students = tooMany ? [] : mine.length ? mine : all;
  // Until the list is there its length is known already.
  return { students, n: mine.length || covered, pinned: mine.length > 0, tooMany, fault: answer.error };
}

export function SetPracticeGoals(props: { covered: number; scope: Scope; act: Act; onClose: () => void }) {
  const { act } = props;
  const { students, n, pinned, tooMany, fault } = useWhom(props.covered, props.scope);
  const periods = useQuery({
    queryKey: ["follow-up", "periods"],
    queryFn: () => got(client.GET("/api/follow-up/periods")),
  });
  const [chosen, setChosen] = useState<string | null>(null);
  const [accuracy, setAccuracy] = useState("");
  const [minutes, setMinutes] = useState("");
  const [around, setAround] = useState("");
  const period = chosen ?? String(periods.data?.[0]?.id ?? "");
  const share = number(accuracy);
  const send = async (event: FormEvent) => {
    event.preventDefault();
    const body = {
      marking_period: Number(period),
      students,
      accuracy: share === null ? null : share / 100,
      minutes: number(minutes),
      around_level: number(around),
    };
    const done = await act.run(
      () => got(client.POST("/api/follow-up/practice/goals", { body })),
      (kept) => ({
        said: kept.without_level ? `${kept.said}; ${words.withoutLevel(kept.without_level)}` : kept.said,
        act: kept.id,
      }),
    );
    if (done) props.onClose();
  };
  return (
    <Dialog title={words.setPracticeGoals} onClose={props.onClose}>
      <form onSubmit={send}>
        {tooMany ? (
          <p className="fault">{words.tooManyForGoals(MOST)}</p>
        ) : (
          <p>{pinned ? words.forPinned(n) : words.forAllShown(n)}</p>
        )}
        <label className="field">
          <span>{words.markingPeriod}</span>
          <select value={period} onChange={(event) => setChosen(event.target.value)} required>
            {(periods.data ?? []).map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}
              </option>
            ))}
          </select>
        </label>
        <div className="two">
          <label className="field">
            <span>{words.accuracyGoal}</span>
            <input
              autoFocus
              type="number"
              min={1}
              max={100}
              value={accuracy}
              onChange={(event) => setAccuracy(event.target.value)}
            />
          </label>
          <label className="field">
            <span>{words.minutesGoal}</span>
            <input
              type="number"
              min={1}
              max={20000}
              value={minutes}
              onChange={(event) => setMinutes(event.target.value)}
            />
          </label>
        </div>
        <label className="field">
          <span>{words.aroundLevel}</span>
          <input
            type="number"
            min={0.1}
            max={100}
            step="any"
            value={around}
            onChange={(event) => setAround(event.target.value)}
          />
        </label>
        <p className="quiet small">{words.emptyStays}</p>
        <FormEnd
          fault={(act.fault ?? fault)?.message ?? ""}
          onClose={props.onClose}
          act={words.setGoals}
          disabled={act.busy || !students.length || !(accuracy || minutes || around)}
        />
      </form>
    </Dialog>
  );
}
