/** The strands as a table: a row a student, sorted by any strand. */
import { useMemo } from "react";
import type { Schemas } from "../../api/client";
import { StudentName } from "../../panel/StudentName";
import { PinMark } from "../../pins/PinMark";
import { sorted, useSorting } from "../../ui/lists/sorting";
import { useFirst } from "../../ui/lists/useFirst";
import { signed } from "../../words/format";
import { needs as words } from "../../words/steps/needs";
import css from "./strands.module.css";

type Answer = Schemas["StrandsAnswer"];

const SHOWN = 100;
const MORE = 200;

export function StrandTable({ answer, inPoints }: { answer: Answer; inPoints: boolean }) {
  const { by, header } = useSorting<string>({ key: answer.strands[0]?.strand ?? "name", down: false });
  const rows = useMemo(() => {
    const places = answer.students.map((student, at) => ({ student, at }));
    return sorted(places, by, (row, key) => {
      if (key === "name") return row.student.name;
      if (key === "section") return row.student.section;
      const strand = answer.strands.find((one) => one.strand === key);
      return (inPoints ? strand?.points : strand?.distance)?.[row.at];
    });
  }, [answer, by, inPoints]);
  const [shown, more] = useFirst(rows.length, SHOWN, MORE);
  return (
    <section className="wide-table u-above-14">
      <table className="rows">
        <caption className="unseen">{words.theSame}</caption>
        <thead>
          <tr>
            <th>
              <span className="unseen">{words.pin}</span>
            </th>
            {header("name", words.student)}
            {header("section", words.classWord)}
            {answer.strands.map((strand) => (
              <Head key={strand.strand}>{header(strand.strand, strand.strand, { num: true })}</Head>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, shown).map(({ student, at }) => (
            <tr key={student.student_id}>
              <td>
                <PinMark id={student.student_id} name={student.name} />
              </td>
              <td>
                <StudentName student={student} />
              </td>
              <td className="quiet">{student.section}</td>
              {answer.strands.map((strand) => {
                const value = inPoints ? strand.points[at] : strand.distance[at];
                const beyond = strand.verdict[at] ? css.beyond : undefined;
                return (
                  <td key={strand.strand} className="num">
                    <span className={beyond} title={beyond ? words.beyondTitle : undefined}>
                      {signed(value, inPoints ? 0 : 1)}
                      {beyond ? " *" : ""}
                    </span>
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      {more}
    </section>
  );
}

/** A header cell made by the sorting, keyed. */
function Head({ children }: { children: React.ReactNode }) {
  return children;
}
