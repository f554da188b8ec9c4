/** Two measures at once: the four standings side by side, who moved between them since the earlier window. */
import { useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../../api/client";
import { Braid } from "../../marks/Braid";
import { usePanel } from "../../panel/PanelContext";
import { useMe } from "../../people/me";
import { asked, type Scope, writeScope } from "../../scope/scope";
import { Shown } from "../../step/Shown";
import { useStepParam } from "../../step/useStepParam";
import { Download } from "../../ui/Download";
import { PrintButton } from "../../ui/PrintButton";
import { many } from "../../words/format";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";

type Answer = Schemas["TwoSeen"];
type Standing = Schemas["StandingGroup"];
type Code = Standing["standing"];

/** The first words of a measure's name, for an axis. */
const short = (title: string) => (title.length > 18 ? `${title.slice(0, 17)}…` : title);

function Column(props: { standing: Standing; answer: Answer; scope: Scope }) {
  const { standing, answer, scope } = props;
  const { open } = usePanel();
  const before = (code: string) => words.standingBefore(code, answer.first_measure, answer.second_measure);
  const named = (title: string, from?: Code) => {
    const { first, second } = answer;
    const which = { standing: standing.standing, first, second, ...(from ? { before: from } : {}) };
    const load = async () => {
      const found = await got(
        client.GET("/api/follow-up/two/students", { params: { query: { ...asked(scope), ...which } } }),
      );
      return found.map((one) => ({
        student_id: one.student_id,
        name: one.name,
        ...(one.before && one.before !== one.standing ? { note: words.cameFrom(before(one.before)) } : {}),
      }));
    };
    open({ named: { title, asked: { key: ["follow-up", "two", "students", scope, which], load } } });
  };
  const title = words.standingWords(standing.standing, answer.first_measure, answer.second_measure);
  return (
    <section aria-label={title}>
      <h2>{title}</h2>
      <p>
        <button type="button" className="open" disabled={!standing.n} onClick={() => named(title)}>
          <b className={css.count}>{many(standing.n)}</b>
        </button>
      </p>
      <Braid
        title={words.braid(standing.n, title)}
        strands={standing.lines}
        n={standing.n}
        ends={[short(answer.first_measure), short(answer.second_measure)]}
        width={230}
        height={210}
      />
      <ul className={css.came}>
        {Object.entries(standing.came).map(([from, n]) => (
          <li key={from}>
            <button
              type="button"
              className="open"
              onClick={() => named(`${title}, ${words.cameFrom(before(from))}`, from as Code)}
            >
              {many(n)}
            </button>{" "}
            <span className="quiet">{words.cameFrom(before(from))}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

export function TwoView({ scope }: { scope: Scope }) {
  const me = useMe();
  const [first, setFirst] = useStepParam("first");
  const [second, setSecond] = useStepParam("second");
  const chosen = { ...(first ? { first } : {}), ...(second ? { second } : {}) };
  const answer = useQuery({
    queryKey: ["follow-up", "two", scope, chosen],
    queryFn: () =>
      got(client.GET("/api/follow-up/two", { params: { query: { ...asked(scope), ...chosen } } })),
    placeholderData: (before) => before,
  });
  return (
    <Shown query={answer}>
      {(data) => (
        <>
          <h1>{data.headline}</h1>
          <p className="lead">{data.lead}</p>
          <div className={css.bar}>
            {(["first", "second"] as const).map((side) => (
              <label key={side}>
                {side === "first" ? words.firstMeasure : words.secondMeasure}{" "}
                <select
                  className="plain"
                  value={data[side]}
                  onChange={(event) => (side === "first" ? setFirst : setSecond)(event.target.value)}
                >
                  {data.offers.map((one) => (
                    <option
                      key={one.key}
                      value={one.key}
                      disabled={one.key === data[side === "first" ? "second" : "first"]}
                    >
                      {one.title}
                    </option>
                  ))}
                </select>
              </label>
            ))}
            {me.may_export && (
              <Download
                path="follow-up/two"
                query={new URLSearchParams([...writeScope(scope), ...Object.entries(chosen)]).toString()}
                what={words.thisTable}
              />
            )}
            <PrintButton />
          </div>
          <div className={css.four}>
            {data.standings.map((one) => (
              <Column key={one.standing} standing={one} answer={data} scope={scope} />
            ))}
          </div>
          <p className="quiet small">
            {words.twoLegend(data.first_reached, data.second_reached)}{" "}
            {data.left_out > 0 && words.withoutOne(data.left_out)}
          </p>
        </>
      )}
    </Shown>
  );
}
