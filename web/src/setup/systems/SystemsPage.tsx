/** Setup: rostering services that the roster is fetched from, and the simulated test that a class can sit. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../../api/client";
import { Shown } from "../../step/Shown";
import { setup as words } from "../../words/steps/setup";
import { ImportWork } from "../imports/ImportWork";
import { SetupParts } from "../SetupParts";
import { useWork } from "../useWork";
import { Sitting } from "./Sitting";

type Source = Schemas["SourceAnswer"];

const HOURS = Array.from({ length: 24 }, (_, hour) => hour);
const when = (text: string) =>
  new Date(`${text}Z`).toLocaleString("en", { dateStyle: "medium", timeStyle: "short" });

function AddSource({ onAdd }: { onAdd: (details: Schemas["NewSource"]) => void }) {
  const [open, setOpen] = useState(false);
  if (!open)
    return (
      <button type="button" className="word" onClick={() => setOpen(true)}>
        {words.addARosteringService}
      </button>
    );
  return (
    <form
      className="inline"
      aria-label={words.aRosteringService}
      onSubmit={(event) => {
        event.preventDefault();
        const details = Object.fromEntries(new FormData(event.currentTarget)) as Record<string, string>;
        onAdd({
          name: details.name ?? "",
          address: details.address ?? "",
          client_id: details.client_id ?? "",
          client_secret: details.client_secret ?? "",
        });
        setOpen(false);
      }}
    >
      {(
        [
          ["name", words.name],
          ["address", words.address],
          ["client_id", words.client],
          ["client_secret", words.secret],
        ] as const
      ).map(([name, label]) => (
        <label key={name}>
          {label}{" "}
          <input
            className="input"
            name={name}
            required
            autoComplete="off"
            type={name === "client_secret" ? "password" : name === "address" ? "url" : "text"}
          />
        </label>
      ))}
      <button type="submit" className="plain">
        {words.addIt}
      </button>
      <button type="button" className="word" onClick={() => setOpen(false)}>
        {words.leaveIt}
      </button>
    </form>
  );
}

export function SystemsPage() {
  const cache = useQueryClient();
  const all = useQuery({ queryKey: ["sources"], queryFn: () => got(client.GET("/api/sources")) });
  const [bundle, setBundle] = useState<Schemas["BundleAnswer"] | null>(null);
  const [asking, setAsking] = useState<number | null>(null);
  const work = useWork(() => cache.invalidateQueries({ queryKey: ["sources"] }));
  const { busy, doing } = work;
  const at = (one: Source) => ({ params: { path: { source_id: one.id } } });
  const fetchNow = (one: Source) =>
    doing(words.fetchingTheRosterOf(one.name), async () => {
      setBundle(null);
      setBundle(await got(client.POST("/api/sources/{source_id}/fetch", at(one))));
    });
  const schedule = (one: Source, hour: string) =>
    doing(words.keepingTheHour, async () => {
      const at_hour = hour === "" ? null : Number(hour);
      await got(client.POST("/api/sources/{source_id}/schedule", { ...at(one), body: { at_hour } }));
    });
  return (
    <>
      <SetupParts />
      <h1>{words.otherSystems}</h1>
      <p className="lead">{words.aStudentSystemThatSpeaks}</p>
      <Shown query={all}>
        {(sources) => (
          <>
            {sources.length > 0 && (
              <table className="rows" aria-label={words.rosteringServices}>
                <thead>
                  <tr>
                    <th>{words.service}</th>
                    <th>{words.everyDayAt}</th>
                    <th>{words.lastFetched}</th>
                    <th />
                  </tr>
                </thead>
                <tbody>
                  {sources.map((one) => (
                    <tr key={one.id}>
                      <td>
                        {one.name}
                        <div className="quiet small">{one.address}</div>
                      </td>
                      <td>
                        <select
                          className="input narrow"
                          aria-label={words.hourAtWhichIsFetched(one.name)}
                          value={one.at_hour ?? ""}
                          onChange={(event) => schedule(one, event.target.value)}
                        >
                          <option value="">{words.onlyByHand}</option>
                          {HOURS.map((hour) => (
                            <option key={hour} value={hour}>
                              {String(hour).padStart(2, "0")}:00
                            </option>
                          ))}
                        </select>
                      </td>
                      <td className="u-wraps">
                        {one.last_at ? when(one.last_at) : "never"}
                        {one.last_outcome && (
                          <div className="quiet small">
                            {one.last_failed && "△ "}
                            {one.last_outcome}
                          </div>
                        )}
                      </td>
                      <td className="num">
                        {asking === one.id ? (
                          <>
                            <span className="quiet">{words.whatCameFromItStays} </span>
                            <button
                              type="button"
                              className="word"
                              onClick={() =>
                                doing(words.forgettingIt, async () => {
                                  setAsking(null);
                                  await got(client.DELETE("/api/sources/{source_id}", at(one)));
                                })
                              }
                            >
                              {words.forgetIt}
                            </button>{" "}
                            <button type="button" className="word" onClick={() => setAsking(null)}>
                              {words.keepIt}
                            </button>
                          </>
                        ) : (
                          <>
                            <button
                              type="button"
                              className="plain"
                              disabled={Boolean(busy)}
                              onClick={() => fetchNow(one)}
                            >
                              {words.fetchTheRosterNow}
                            </button>{" "}
                            <button type="button" className="word" onClick={() => setAsking(one.id)}>
                              {words.forget}
                            </button>
                          </>
                        )}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </table>
            )}
            <p>
              <AddSource
                onAdd={(details) =>
                  doing(words.addingIt, async () => {
                    await got(client.POST("/api/sources", { body: details }));
                  })
                }
              />
            </p>
          </>
        )}
      </Shown>
      <ImportWork work={work} bundle={bundle} onBundle={setBundle} />
      <Sitting />
    </>
  );
}
