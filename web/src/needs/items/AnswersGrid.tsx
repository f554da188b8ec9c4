/** The answers: students x items, only wrong ones with their letter, both sides sorted by score. */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../../api/client";
import { StudentName } from "../../panel/StudentName";
import { PinMark } from "../../pins/PinMark";
import { asked, type Scope } from "../../scope/scope";
import { useFirst } from "../../ui/lists/useFirst";
import { percent } from "../../words/format";
import { needs as words } from "../../words/steps/needs";
import css from "./items.module.css";

const SHOWN = 100;
const MORE = 100;

export function AnswersGrid({ scope, lowest }: { scope: Scope; lowest: boolean }) {
  const found = useQuery({
    queryKey: ["needs", "answers", scope, lowest],
    queryFn: () =>
      got(client.GET("/api/needs/items/answers", { params: { query: { ...asked(scope), lowest } } })),
    placeholderData: (before) => before,
  });
  const [shown, more] = useFirst(found.data?.students.length ?? 0, SHOWN, MORE);
  if (found.isError) return <p className="fault">{found.error.message}</p>;
  const grid = found.data;
  if (!grid) return null;
  return (
    <>
      <p className="lead">{words.answersNote}</p>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: the grid scrolls on its own */}
      <section className={css.answers} tabIndex={0} aria-label={words.answers}>
        <table>
          <thead>
            <tr>
              <th>
                <span className="unseen">{words.student}</span>
              </th>
              <th>{words.total}</th>
              {grid.items.map((item, at) => (
                <th key={item} title={`${words.key} ${grid.keys[at]}, ${percent(grid.share[at])}`}>
                  {item}
                </th>
              ))}
            </tr>
            <tr>
              <th className="quiet">{words.shareRight}</th>
              <th />
              {grid.items.map((item, at) => (
                <th key={item} className="quiet">
                  {grid.share[at] == null ? "–" : Math.round(100 * (grid.share[at] ?? 0))}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {grid.students.slice(0, shown).map((row) => (
              <tr key={row.student_id}>
                <th scope="row">
                  <PinMark id={row.student_id} name={row.name} /> <StudentName student={row} />{" "}
                  <span className="quiet small">{row.section}</span>
                </th>
                <td>{row.total}</td>
                {row.answers.map((answer, at) => (
                  <td key={grid.items[at]} className={answer ? css.wrong : undefined}>
                    {answer}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      {more}
    </>
  );
}
