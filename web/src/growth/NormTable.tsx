/** The norm table in a form a family can read: the usual score of each grade and season, and the middle half. */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../api/client";
import type { Scope } from "../scope/scope";
import { Dialog } from "../ui/Dialog";
import { score } from "../words/format";
import { growth as words } from "../words/steps/growth";

export function NormTable({ scope, onClose }: { scope: Scope; onClose: () => void }) {
  const query = { assessment: scope.assessment, subject: scope.subject };
  const table = useQuery({
    queryKey: ["norms", query],
    queryFn: () => got(client.GET("/api/growth/norms", { params: { query } })),
  });
  return (
    <Dialog
      title={table.data ? words.usualScores(table.data.title) : words.usualScores2}
      wide
      onClose={onClose}
    >
      {table.isError && <p className="fault">{table.error.message}</p>}
      {table.data && (
        <>
          <p className="quiet small">{words.inEachBoxTheAverage}</p>
          <table className="rows">
            <thead>
              <tr>
                <th>{words.grade}</th>
                {table.data.seasons.map((season) => (
                  <th className="num" key={season}>
                    {season}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {table.data.rows.map((row) => (
                <tr key={row.grade}>
                  <td>{row.grade}</td>
                  {row.means.map((mean, at) => (
                    <td className="num" key={table.data.seasons[at]}>
                      <b>{score(mean)}</b>{" "}
                      <span className="quiet small">
                        {score(row.lows[at])} {words.to2} {score(row.highs[at])}
                      </span>
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      <div className="buttons">
        <button type="button" className="plain" onClick={onClose}>
          {words.close}
        </button>
      </div>
    </Dialog>
  );
}
