/** Every day: who needs a word and who has earned one; said words are marked and never come up again. */
import { useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../api/client";
import { StudentName } from "../panel/StudentName";
import { useMe } from "../people/me";
import { PinMark } from "../pins/PinMark";
import { asked, type Scope, writeScope } from "../scope/scope";
import { Done } from "../step/Done";
import { Shown } from "../step/Shown";
import { type Act, useAct } from "../step/useAct";
import { useStepParam } from "../step/useStepParam";
import { Download } from "../ui/Download";
import { useFirst } from "../ui/lists/useFirst";
import { PrintButton } from "../ui/PrintButton";
import { daysLater } from "../words/days";
import { day as dayWords } from "../words/format";
import { followUp as words } from "../words/steps/follow-up";
import css from "./followUp.module.css";

type Word = Schemas["DayWord"];

const SHOWN = 60;
const MORE = 200;

function Words({ title, all, act }: { title: string; all: Word[]; act: Act }) {
  const say = (word: Word) =>
    act.run(
      () =>
        got(
          client.POST("/api/follow-up/daily/said", {
            body: { student_id: word.student_id, about: word.about },
          }),
        ),
      (kept) => ({ said: kept.said, act: kept.id }),
    );
  const [shown, more] = useFirst(all.length, SHOWN, MORE);
  return (
    <section aria-label={title}>
      <h2>
        {title} <span className="quiet">{all.length}</span>
      </h2>
      {!all.length && <p className="quiet">{words.nobody}</p>}
      <ul className={css.words}>
        {all.slice(0, shown).map((word) => (
          <li key={`${word.student_id}${word.about}`} className={word.said_on ? css.gone : undefined}>
            <PinMark id={word.student_id} name={word.name} />
            <span>
              <StudentName student={word} />
              <br />
              <span className="quiet small">{word.sentence}</span>
            </span>
            {word.said_on ? (
              <span className="quiet small">{words.said}</span>
            ) : (
              <button
                type="button"
                className="plain"
                disabled={act.busy}
                aria-label={words.markSaid(word.sentence)}
                onClick={() => say(word)}
              >
                {words.markAsSaid}
              </button>
            )}
          </li>
        ))}
      </ul>
      {more}
    </section>
  );
}

export function DailyView({ scope }: { scope: Scope }) {
  const me = useMe();
  const act = useAct("word");
  const [chosen, setChosen] = useStepParam("on");
  const day = chosen ?? me.today;
  const answer = useQuery({
    queryKey: ["follow-up", "daily", scope, chosen],
    queryFn: () => got(client.GET("/api/follow-up/daily", { params: { query: { ...asked(scope), day } } })),
    placeholderData: (before) => before,
  });
  const go = (days: number) => {
    const next = daysLater(day, days);
    setChosen(next >= me.today ? null : next);
  };
  return (
    <Shown query={answer}>
      {(data) => (
        <>
          <p className={css.period}>
            <button type="button" className="word" aria-label={words.dayBefore} onClick={() => go(-1)}>
              ‹
            </button>{" "}
            {dayWords(data.day)}{" "}
            <button
              type="button"
              className="word"
              aria-label={words.dayAfter}
              disabled={day >= me.today}
              onClick={() => go(1)}
            >
              ›
            </button>
          </p>
          <h1>{data.headline}</h1>
          <p className="lead">{data.lead}</p>
          <div role="status" aria-live="polite">
            <Done said={act.said} act={act.last} undo={act.undo} />
          </div>
          <p className={css.bar}>
            {me.may_export && (
              <Download
                path="follow-up/daily"
                query={new URLSearchParams([...writeScope(scope), ["day", data.day]]).toString()}
                what={words.thisTable}
              />
            )}
            <PrintButton />
          </p>
          <div className="two">
            <Words title={words.needAWord} all={data.needs} act={act} />
            <Words title={words.earnedAWord} all={data.earned} act={act} />
          </div>
        </>
      )}
    </Shown>
  );
}
