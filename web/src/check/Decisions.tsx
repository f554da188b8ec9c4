/** What was decided lately, with undo. */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../api/client";
import { useHiding } from "../people/Hiding";
import { check as words } from "../words/steps/check";
import type { Decide } from "./useDecide";

export function Decisions({ may, decide }: { may: boolean; decide: Decide }) {
  const { hidden } = useHiding();
  const past = useQuery({
    queryKey: ["acts"],
    queryFn: () => got(client.GET("/api/acts")),
    enabled: may,
  });
  if (!may || !past.data?.length) return null;
  return (
    <section aria-label={words.decisions} className="u-above-20">
      <h2>{words.decidedLately}</h2>
      <table className="rows still" aria-label={words.decisions}>
        <tbody>
          {past.data.slice(0, 12).map((one) => (
            <tr key={one.id}>
              <td>{hidden ? one.said.replace(/^[^:]*:/, words.student) : one.said}</td>
              <td className="quiet">{one.by}</td>
              <td className="quiet">
                {new Date(`${one.at}Z`).toLocaleString("en", { dateStyle: "medium", timeStyle: "short" })}
              </td>
              <td className="num">
                {one.state === "done" ? (
                  <button
                    type="button"
                    className="word"
                    aria-label={`Undo: ${one.said}`}
                    onClick={() => decide.undo(one.id)}
                  >
                    {words.undo}
                  </button>
                ) : (
                  <span className="quiet">{words.undone}</span>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
