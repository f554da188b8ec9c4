/** Setup: rostering services that the roster is fetched from, and the simulated test that a class can sit. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { Shown } from "../step/Shown";
import { Busy } from "./Busy";
import { FaultBox } from "./FaultBox";
import { SetupParts } from "./SetupParts";
import { Sitting } from "./Sitting";
import { useWork } from "./useWork";
import { Waiting } from "./Waiting";

type Source = Schemas["SourceAnswer"];

const HOURS = Array.from({ length: 24 }, (_, hour) => hour);
const when = (text: string) =>
  new Date(`${text}Z`).toLocaleString("en", { dateStyle: "medium", timeStyle: "short" });

function AddSource({ onAdd }: { onAdd: (details: Schemas["NewSource"]) => void }) {
  const [open, setOpen] = useState(false);
  if (!open)
    return (
      <button type="button" className="word" onClick={() => setOpen(true)}>
        Add a rostering service
      </button>
    );
  return (
    <form
      className="inline"
      aria-label="A rostering service"
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
          ["name", "Name"],
          ["address", "Address"],
          ["client_id", "Client"],
          ["client_secret", "Secret"],
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
        Add it
      </button>
      <button type="button" className="word" onClick={() => setOpen(false)}>
        Leave it
      </button>
    </form>
  );
}

export function SystemsPage() {
  const cache = useQueryClient();
  const all = useQuery({ queryKey: ["sources"], queryFn: () => got(client.GET("/api/sources")) });
  const [bundle, setBundle] = useState<Schemas["BundleAnswer"] | null>(null);
  const [asking, setAsking] = useState<number | null>(null);
  const { busy, fault, done, setDone, doing } = useWork(() =>
    cache.invalidateQueries({ queryKey: ["sources"] }),
  );
  const at = (one: Source) => ({ params: { path: { source_id: one.id } } });
  const fetchNow = (one: Source) =>
    doing(`Fetching the roster of ${one.name} …`, async () => {
      setBundle(null);
      setBundle(await got(client.POST("/api/sources/{source_id}/fetch", at(one))));
    });
  const schedule = (one: Source, hour: string) =>
    doing("Keeping the hour …", async () => {
      const at_hour = hour === "" ? null : Number(hour);
      await got(client.POST("/api/sources/{source_id}/schedule", { ...at(one), body: { at_hour } }));
    });
  return (
    <>
      <SetupParts />
      <h1>Other systems</h1>
      <p className="lead">
        A student system that speaks OneRoster 1.2 gives its roster on demand or every day at an hour. What is
        fetched by hand is shown before it is taken over; what the clock fetches stands in the history and can
        be undone.
      </p>
      <Shown query={all}>
        {(sources) => (
          <>
            {sources.length > 0 && (
              <table className="rows" aria-label="Rostering services">
                <thead>
                  <tr>
                    <th>Service</th>
                    <th>Every day at</th>
                    <th>Last fetched</th>
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
                          aria-label={`Hour at which ${one.name} is fetched`}
                          value={one.at_hour ?? ""}
                          onChange={(event) => schedule(one, event.target.value)}
                        >
                          <option value="">only by hand</option>
                          {HOURS.map((hour) => (
                            <option key={hour} value={hour}>
                              {String(hour).padStart(2, "0")}:00
                            </option>
                          ))}
                        </select>
                      </td>
                      <td style={{ whiteSpace: "normal" }}>
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
                            <span className="quiet">What came from it stays. </span>
                            <button
                              type="button"
                              className="word"
                              onClick={() =>
                                doing("Forgetting it …", async () => {
                                  setAsking(null);
                                  await got(client.DELETE("/api/sources/{source_id}", at(one)));
                                })
                              }
                            >
                              Forget it
                            </button>{" "}
                            <button type="button" className="word" onClick={() => setAsking(null)}>
                              Keep it
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
                              Fetch the roster now
                            </button>{" "}
                            <button type="button" className="word" onClick={() => setAsking(one.id)}>
                              Forget
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
                  doing("Adding it …", async () => {
                    await got(client.POST("/api/sources", { body: details }));
                  })
                }
              />
            </p>
          </>
        )}
      </Shown>
      <div role="status" aria-live="polite">
        {busy && <Busy what={busy} />}
        {done && <p className="aside">{done}</p>}
      </div>
      {fault && <FaultBox fault={fault} />}
      {bundle && (
        <Waiting
          bundle={bundle}
          busy={Boolean(busy)}
          doing={doing}
          onChange={setBundle}
          onDone={(details) => {
            setDone(details);
            setBundle(null);
            cache.invalidateQueries();
          }}
        />
      )}
      <Sitting />
    </>
  );
}
