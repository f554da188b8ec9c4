/** One student's log in a period: the patterns found in it with their evidence, week by week, every entry. */
import { useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../../api/client";
import { useSaid } from "../../people/Hiding";
import { Shown } from "../../step/Shown";
import { Dialog } from "../../ui/Dialog";
import { day, percent, score } from "../../words/format";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";
import { usePeriod } from "../period/usePeriod";

type Answer = Schemas["PracticeLogAnswer"];

const HEIGHT = 60;

function Weeks({ weeks }: { weeks: Answer["weeks"] }) {
  if (!weeks.length) return null;
  const most = Math.max(1, ...weeks.map((one) => one.minutes));
  const width = Math.min(36, 660 / weeks.length);
  return (
    <svg
      viewBox={`0 0 ${width * weeks.length} ${HEIGHT + 14}`}
      width={width * weeks.length}
      height={HEIGHT + 14}
      role="img"
      aria-label={words.weeksOfPractice(weeks.length)}
    >
      {weeks.map((one, at) => {
        const size = (one.minutes / most) * HEIGHT;
        return (
          <g key={one.monday}>
            <title>{words.weekOfPractice(day(one.monday), score(one.minutes), percent(one.accuracy))}</title>
            <rect
              x={at * width}
              y={HEIGHT - size}
              width={width - 3}
              height={Math.max(1, size)}
              fill="var(--ramp-2)"
            />
            {one.accuracy != null && (
              <circle
                cx={at * width + (width - 3) / 2}
                cy={HEIGHT * (1 - one.accuracy)}
                r={2.5}
                fill="var(--ink)"
              />
            )}
          </g>
        );
      })}
    </svg>
  );
}

function Patterns({ patterns }: { patterns: Answer["patterns"] }) {
  return (
    <ul className={css.patterns}>
      {patterns.map((one) => (
        <li key={one.name} className={one.claimed ? css.due : "quiet"}>
          {one.sentence}
          <br />
          <span className="quiet small">{one.evidence}</span>
        </li>
      ))}
    </ul>
  );
}

function Entries({ entries }: { entries: Answer["entries"] }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: the list scrolls on its own
    <section className="scroll" tabIndex={0} aria-label={words.everyEntry}>
      <table className="rows">
        <thead>
          <tr>
            <th>{words.day}</th>
            <th>{words.text}</th>
            <th>{words.kind}</th>
            <th>{words.help}</th>
            <th className="num">{words.length}</th>
            <th className="num">{words.level}</th>
            <th className="num">{words.minutesHead}</th>
            <th className="num">{words.right}</th>
          </tr>
        </thead>
        <tbody>
          {entries.map((one, at) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a text may be read twice a day
            <tr key={`${one.on}${one.text}${at}`}>
              <td>{day(one.on)}</td>
              <td className="wraps">{one.text}</td>
              <td>{one.kind}</td>
              <td>{one.help}</td>
              <td className="num">{score(one.length)}</td>
              <td className="num">{one.level?.toFixed(1) ?? "–"}</td>
              <td className="num">{score(one.minutes)}</td>
              <td className="num">
                {one.items == null || one.right == null ? "–" : words.rightOf(one.right, one.items)}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

export function PracticeLog(props: { student: { student_id: string; name: string }; onClose: () => void }) {
  const { student } = props;
  const said = useSaid();
  const { query } = usePeriod();
  const answer = useQuery({
    queryKey: ["follow-up", "practice", "log", student.student_id, query],
    queryFn: () =>
      got(
        client.GET("/api/follow-up/practice/{student_id}", {
          params: { path: { student_id: student.student_id }, query },
        }),
      ),
  });
  return (
    <Dialog title={words.logOf(said(student.name))} wide onClose={props.onClose}>
      <Shown query={answer}>
        {(data) => (
          <>
            <p>
              <b>{data.headline}</b>{" "}
              <span className="quiet">
                {words.entriesIn(data.n)} {data.period}
              </span>
            </p>
            <Patterns patterns={data.patterns} />
            <Weeks weeks={data.weeks} />
            <p className="quiet small">{words.weeksLegend}</p>
            <Entries entries={data.entries} />
          </>
        )}
      </Shown>
      <div className="buttons">
        <button type="button" className="plain" onClick={props.onClose}>
          {words.close}
        </button>
      </div>
    </Dialog>
  );
}
