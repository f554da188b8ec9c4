/** Setup: every table as a file, one by one or all together, in open forms. */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../api/client";
import { Shown } from "../step/Shown";
import { kindSaid } from "./kinds";
import { SetupParts } from "./SetupParts";

export function OutPage() {
  const all = useQuery({ queryKey: ["tables"], queryFn: () => got(client.GET("/api/tables")) });
  return (
    <>
      <SetupParts />
      <h1>Take tables out</h1>
      <p className="lead">
        Everything leaves in open forms:{" "}
        <a className="word" href="/api/tables/oneroster.zip" download>
          the roster and the results as a OneRoster 1.2 package
        </a>
        ,{" "}
        <a className="word" href="/api/tables/all.zip" download>
          every table as CSV with a data package that describes them
        </a>
        , or one table at a time. The files hold names: keep them where only those may read them who may see
        them here.
      </p>
      <Shown query={all}>
        {(tables) => (
          <table className="rows" aria-label="Tables" style={{ maxWidth: 640 }}>
            <thead>
              <tr>
                <th>Table</th>
                <th className="num">Rows</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {tables.map((one) => (
                <tr key={one.name}>
                  <td>{kindSaid(one.name)}</td>
                  <td className="num">{one.rows.toLocaleString("en")}</td>
                  <td>
                    <a
                      className="word"
                      href={`/api/tables/${one.name}.csv`}
                      download
                      aria-label={`${kindSaid(one.name)} as CSV`}
                    >
                      CSV
                    </a>{" "}
                    <a
                      className="word"
                      href={`/api/tables/${one.name}.xlsx`}
                      download
                      aria-label={`${kindSaid(one.name)} as XLSX`}
                    >
                      XLSX
                    </a>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        )}
      </Shown>
    </>
  );
}
