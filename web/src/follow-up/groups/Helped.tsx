/** Did the help work: the group beside similar students who were not in it, and beside expected growth. */
import { type UseQueryResult, useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../../api/client";
import { useSaid } from "../../people/Hiding";
import { asked, type Scope } from "../../scope/scope";
import { Shown } from "../../step/Shown";
import { signed } from "../../words/format";
import { followUp as words } from "../../words/steps/follow-up";

/** Standardised differences that stand out after matching (common practice: a quarter). */
const UNLIKE = 0.25;

export function Helped({ group, scope }: { group: number; scope: Scope }) {
  const answer = useQuery({
    queryKey: ["follow-up", "helped", group, scope],
    queryFn: () =>
      got(
        client.GET("/api/follow-up/groups/{group_id}/helped", {
          params: { path: { group_id: group }, query: asked(scope) },
        }),
      ),
  });
  return (
    <section aria-label={words.didItHelp}>
      <HelpedAnswerView query={answer} />
    </section>
  );
}

export function HelpedAnswerView({ query }: { query: UseQueryResult<Schemas["HelpedAnswer"], Error> }) {
  const said = useSaid();
  return (
    <Shown query={query}>
      {(data) => (
        <>
          <h2>{data.headline}</h2>
          <p>{data.lead}</p>
          <p className="quiet small">
            {words.matchedOf(data.matched, data.members)}
            {data.unmatched.length > 0 && ` ${words.nobodyLike(data.unmatched.map(said).join(", "))}`}
          </p>
          {data.matched > 0 && (
            <details>
              <summary>{words.balance}</summary>
              <table className="rows">
                <thead>
                  <tr>
                    <th>{words.what}</th>
                    <th className="num">{words.beforeMatching}</th>
                    <th className="num">{words.afterMatching}</th>
                  </tr>
                </thead>
                <tbody>
                  {data.balance
                    .filter((one) => one.after !== null)
                    .map((one) => (
                      <tr key={one.what}>
                        <td>{one.what === "start" ? words.startScore : one.what}</td>
                        <td className="num">{one.before === null ? "–" : signed(one.before, 2)}</td>
                        <td className="num">
                          {one.after === null ? "–" : signed(one.after, 2)}
                          {Math.abs(one.after ?? 0) > UNLIKE && (
                            <span className="quiet small"> {words.stillUnlike}</span>
                          )}
                        </td>
                      </tr>
                    ))}
                </tbody>
              </table>
            </details>
          )}
        </>
      )}
    </Shown>
  );
}
