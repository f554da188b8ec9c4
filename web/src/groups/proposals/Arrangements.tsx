/** Two arrangements side by side: who moves, how near needs lie in each, and adults' minutes. */
import { useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../../api/client";
import { Name } from "../../people/Hiding";
import { asked, type Scope } from "../../scope/scope";
import { Shown } from "../../step/Shown";
import { groups as words } from "../../words/steps/groups";
import css from "../board.module.css";

type Arranged = Schemas["Arranged"];
type Side = Schemas["Side"];

const places = (value: number | null | undefined) => (value == null ? words.notKnown : value.toFixed(2));

function SideTable({ title, side }: { title: string; side: Side }) {
  return (
    <section aria-label={title}>
      <h3>{title}</h3>
      <table className="rows">
        <thead>
          <tr>
            <th>{words.group}</th>
            <th className="num">{words.studentsWord}</th>
            <th>{words.needMost}</th>
            <th className="num" title={words.apartnessMeans}>
              {words.apartness}
            </th>
            <th className="num">{words.minutesAWeek}</th>
          </tr>
        </thead>
        <tbody>
          {side.groups.map((group) => (
            <tr key={group.name}>
              <th scope="row">{group.name}</th>
              <td className="num">{group.n}</td>
              <td>{group.focus}</td>
              <td className="num">{places(group.distance)}</td>
              <td className="num">{group.minutes ?? words.notKnown}</td>
            </tr>
          ))}
          <tr>
            <th scope="row">{words.all}</th>
            <td className="num">{side.students}</td>
            <td />
            <td className="num">{places(side.distance)}</td>
            <td className="num">{side.minutes ?? words.notKnown}</td>
          </tr>
        </tbody>
      </table>
    </section>
  );
}

export function Arrangements(props: {
  scope: Scope;
  by: Schemas["By"][];
  title: string;
  before: Arranged[];
  after: Arranged[];
}) {
  const { scope, before, after, by } = props;
  const body = { before, after, by: by.length ? by : [{ kind: "strands" as const, standards: [] }] };
  const answer = useQuery({
    queryKey: ["groups", "compared", scope, body],
    queryFn: () => got(client.POST("/api/board/compared", { params: { query: asked(scope) }, body })),
  });
  return (
    <Shown query={answer}>
      {(data) => (
        <section aria-label={words.sideBySide}>
          <h2>{data.said}</h2>
          <div className={css.sides}>
            <SideTable title={props.title} side={data.before} />
            <SideTable title={words.proposal} side={data.after} />
          </div>
          {data.moves.length > 0 && (
            <table className="rows">
              <thead>
                <tr>
                  <th>{words.whoMoves(data.moves.length, data.same)}</th>
                  <th>{props.title}</th>
                  <th>{words.proposal}</th>
                </tr>
              </thead>
              <tbody>
                {data.moves.map((one) => (
                  <tr key={one.student_id}>
                    <td>
                      <Name name={one.name} />
                    </td>
                    <td>{one.before ?? words.noGroup}</td>
                    <td>{one.after ?? words.noGroup}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
        </section>
      )}
    </Shown>
  );
}
