/** Setup: every table as a file, one by one or all together, in open forms. */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../api/client";
import { Shown } from "../step/Shown";
import { many } from "../words/format";
import { setup as words } from "../words/steps/setup";
import { kindSaid } from "./kinds";
import { SetupParts } from "./SetupParts";

export function OutPage() {
  const all = useQuery({ queryKey: ["tables"], queryFn: () => got(client.GET("/api/tables")) });
  return (
    <>
      <SetupParts />
      <h1>{words.takeTablesOut}</h1>
      <p className="lead">
        {words.everythingLeavesInOpenForms}{" "}
        <a className="word" href="/api/tables/oneroster.zip" download>
          {words.theRosterAndTheResults}
        </a>
        ,{" "}
        <a className="word" href="/api/tables/all.zip" download>
          {words.everyTableAsCsvWith}
        </a>
        {words.orOneTableAtA}
      </p>
      <Shown query={all}>
        {(tables) => (
          <table className="rows u-narrow" aria-label={words.tables}>
            <thead>
              <tr>
                <th>{words.table}</th>
                <th className="num">{words.rows}</th>
                <th />
              </tr>
            </thead>
            <tbody>
              {tables.map((one) => (
                <tr key={one.name}>
                  <td>{kindSaid(one.name)}</td>
                  <td className="num">{many(one.rows)}</td>
                  <td>
                    <a
                      className="word"
                      href={`/api/tables/${one.name}.csv`}
                      download
                      aria-label={words.asCsv(kindSaid(one.name))}
                    >
                      {words.csv}
                    </a>{" "}
                    <a
                      className="word"
                      href={`/api/tables/${one.name}.xlsx`}
                      download
                      aria-label={words.asXlsx(kindSaid(one.name))}
                    >
                      {words.xlsx}
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
