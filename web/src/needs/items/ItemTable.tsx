/** The items of a test: how each did, what looks wrong, and how many chose what. */
import { Fragment } from "react";
import type { Schemas } from "../../api/client";
import { usePanel } from "../../panel/PanelContext";
import { percent, signed } from "../../words/format";
import { needs as words } from "../../words/steps/needs";
import css from "./items.module.css";

type Row = Schemas["ItemRow"];
type Answer = Schemas["ItemsStep"];
export type Grouping = "item" | "standard" | "strand";

/** Items under the standard or strand that they count for; one that counts for two stands under both. */
function grouped(rows: Row[], by: Grouping): [string, Row[]][] {
  if (by === "item") return [["", rows]];
  const found = new Map<string, Row[]>();
  for (const row of rows) {
    const names = row.standards.map((one) =>
      by === "standard" ? `${one.standard} ${one.text}` : one.strand,
    );
    for (const name of new Set(names.length ? names : ["–"]))
      found.set(name, [...(found.get(name) ?? []), row]);
  }
  return [...found];
}

function Options({ row, answer, lowest }: { row: Row; answer: Answer; lowest: boolean }) {
  const { open } = usePanel();
  const left = answer.n - row.answered;
  return (
    <span className={css.options}>
      {row.options.map((one) => (
        <button
          key={one.option}
          type="button"
          className={one.is_key ? `${css.option} ${css.isKey}` : css.option}
          title={`${words.chose(one.option, one.n)}${one.is_key ? `, ${words.theKey}` : ""}`}
          disabled={!one.n}
          onClick={() => open({ needs: { of: "item", item: row.item, option: one.option, lowest } })}
        >
          {one.option} {one.n}
          <span className={css.bar} aria-hidden>
            <i style={{ width: `${100 * one.share}%` }} />
          </span>
        </button>
      ))}
      {left > 0 && row.options.length > 0 && (
        <button
          type="button"
          className={css.option}
          title={words.notAnswered(left)}
          onClick={() => open({ needs: { of: "item", item: row.item, lowest } })}
        >
          – {left}
        </button>
      )}
    </span>
  );
}

export function ItemTable(props: {
  answer: Answer;
  by: Grouping;
  lowest: boolean;
  onMend: (row: Row) => void;
}) {
  const { answer, by, lowest } = props;
  return (
    <section className="wide-table">
      <table className={`rows ${css.items}`}>
        <thead>
          <tr>
            <th>{words.item}</th>
            <th>{words.key}</th>
            <th>{words.standard}</th>
            <th>{words.shareRight}</th>
            <th className="num" title={words.tellsTitle}>
              {words.tells}
            </th>
            <th>{words.chosen}</th>
            <th>
              <span className="unseen">{words.correct}</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {grouped(answer.items, by).map(([group, rows]) => (
            <Fragment key={group}>
              {group && (
                <tr>
                  <th colSpan={7} scope="rowgroup">
                    {group}
                  </th>
                </tr>
              )}
              {rows.map((row) => (
                <tr
                  key={row.item}
                  className={row.dropped ? css.dropped : row.flags.length ? css.flagged : undefined}
                >
                  <td>{row.item}</td>
                  <td>{row.keys.join(" ")}</td>
                  <td className="quiet small" title={row.standards.map((one) => one.text).join("; ")}>
                    {row.standards.map((one) => one.standard).join(", ")}
                    {row.standards.length > 1 && <div>{words.alsoCounts}</div>}
                  </td>
                  <td>
                    {row.difficulty == null ? (
                      `${row.right_n} ${words.of(answer.n)}`
                    ) : (
                      <>
                        <span className={css.right} aria-hidden>
                          <i style={{ width: `${100 * row.difficulty}%` }} />
                        </span>{" "}
                        {percent(row.difficulty)}
                      </>
                    )}
                  </td>
                  <td className="num">{signed(row.discrimination, 2)}</td>
                  <td>
                    {row.dropped && <span>{words.dropped} </span>}
                    <Options row={row} answer={answer} lowest={lowest} />
                    {row.flags.map((flag) => (
                      <div key={flag.flag} className={css.flag}>
                        <b>{flag.words}</b> <span className="small">{flag.detail}</span>
                      </div>
                    ))}
                  </td>
                  <td>
                    {answer.may_mend && (
                      <button
                        type="button"
                        className="word"
                        aria-label={words.correctItem(row.item)}
                        onClick={() => props.onMend(row)}
                      >
                        {words.correct}
                      </button>
                    )}
                  </td>
                </tr>
              ))}
            </Fragment>
          ))}
        </tbody>
      </table>
    </section>
  );
}
