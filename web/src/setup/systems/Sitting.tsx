/** In the demo: a class sits the simulated adaptive test, and its results arrive one by one on the scale. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Refused, type Schemas } from "../../api/client";
import { useWidth } from "../../ui/useWidth";
import { setup as words } from "../../words/steps/setup";
import { FaultBox } from "../FaultBox";

type Going = Schemas["SittingAnswer"];

function Arrivals({ going, width }: { going: Going; width: number }) {
  const known = going.students.flatMap((one) => [one.score, one.last_score]).filter((one) => one != null);
  const low = Math.min(...known, 700) - 15;
  const high = Math.max(...known, 300) + 15;
  const left = 170;
  const x = (score: number) => left + ((score - low) / (high - low)) * (width - left - 60);
  const height = going.students.length * 17 + 8;
  return (
    <svg
      width={width}
      height={height}
      role="img"
      aria-label={words.ofHaveFinished(going.done, going.students.length)}
    >
      {going.students.map((one, at) => {
        const y = at * 17 + 12;
        return (
          <g key={one.student_id}>
            <text x={0} y={y + 4} fontSize={12.5} fill={one.score == null ? "var(--quiet)" : "var(--ink)"}>
              {one.name}
            </text>
            {one.last_score != null && (
              <circle cx={x(one.last_score)} cy={y} r={3.5} fill="none" stroke="var(--ink)" />
            )}
            {one.score != null && (
              <>
                {one.last_score != null && (
                  <line x1={x(one.last_score)} x2={x(one.score)} y1={y} y2={y} stroke="var(--line)" />
                )}
                <line
                  x1={x(one.score - (one.standard_error ?? 0))}
                  x2={x(one.score + (one.standard_error ?? 0))}
                  y1={y}
                  y2={y}
                  stroke="var(--ink)"
                />
                <circle cx={x(one.score)} cy={y} r={4} fill="var(--ink)" />
                <text x={width - 50} y={y + 4} fontSize={12.5} fill="var(--ink)">
                  {one.score}
                </text>
              </>
            )}
          </g>
        );
      })}
    </svg>
  );
}

export function Sitting() {
  const cache = useQueryClient();
  const choices = useQuery({
    queryKey: ["sittings", "choices"],
    queryFn: () => got(client.GET("/api/sittings/choices")),
  });
  const [room, setRoom] = useState<number | null>(null);
  const [subject, setSubject] = useState("");
  const [window, setWindow] = useState("");
  const [key, setKey] = useState<number | null>(null);
  const [fault, setFault] = useState<Refused | null>(null);
  const [message, setMessage] = useState("");
  const [box, width] = useWidth<HTMLDivElement>(700);
  const going = useQuery({
    queryKey: ["sittings", key],
    queryFn: () => got(client.GET("/api/sittings/{key}", { params: { path: { key: key ?? 0 } } })),
    enabled: key !== null,
    refetchInterval: (query) => (query.state.data?.finished ? false : 700),
    retry: false,
  });
  const could = choices.data;
  if (!could?.there || could.classes.length === 0) return null;
  const chosen = {
    section_id: room ?? could.classes[0]?.id ?? 0,
    subject: subject || (could.subjects[0] ?? ""),
    window: window || (could.windows[0] ?? ""),
  };
  const start = async () => {
    setFault(null);
    setMessage("");
    try {
      setKey((await got(client.POST("/api/sittings", { body: chosen }))).id);
    } catch (error) {
      setFault(error as Refused);
    }
  };
  const bringIn = async () => {
    setFault(null);
    try {
      const done = await got(
        client.POST("/api/sittings/{key}/bring-in", { params: { path: { key: key ?? 0 } } }),
      );
      setMessage(words.resultsAreInWithTheir(done[0]?.counts.new ?? 0));
      setKey(null);
      // The class at its test is gone; asking after it once more would find nobody.
      cache.invalidateQueries({ predicate: (query) => query.queryKey[0] !== "sittings" });
    } catch (error) {
      setFault(error as Refused);
    }
  };
  const now = key === null ? undefined : going.data;
  return (
    <section aria-label={words.aClassSitsTheSimulated} className="u-above-20">
      <h2>{words.tryAWindowAClass}</h2>
      <form
        className="inline"
        onSubmit={(event) => {
          event.preventDefault();
          start();
        }}
      >
        <label>
          {words.classWord}{" "}
          <select
            className="input"
            value={chosen.section_id}
            onChange={(event) => setRoom(Number(event.target.value))}
          >
            {could.classes.map((one) => (
              <option key={one.id} value={one.id}>
                {one.school ? `${one.school}, ` : ""}
                {one.name} ({one.n})
              </option>
            ))}
          </select>
        </label>
        <label>
          {words.subject}{" "}
          <select
            className="input"
            value={chosen.subject}
            onChange={(event) => setSubject(event.target.value)}
          >
            {could.subjects.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </label>
        <label>
          {words.window}{" "}
          <select className="input" value={chosen.window} onChange={(event) => setWindow(event.target.value)}>
            {could.windows.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </label>
        <button type="submit" className="plain" disabled={key !== null && !now?.finished}>
          {words.startTheTest}
        </button>
      </form>
      {fault && <FaultBox fault={fault} />}
      <div role="status" aria-live="polite">
        {message && <p className="aside">{message}</p>}
        {now && (
          <p>
            {words.classWord} {now.section}, {now.subject}, {now.window}: {now.done} {words.of}{" "}
            {now.students.length} {words.haveFinished}
          </p>
        )}
      </div>
      {now?.finished && (
        <p>
          <button type="button" className="act" onClick={bringIn}>
            {words.bringTheResultsIn}
          </button>{" "}
          <button type="button" className="plain" onClick={() => setKey(null)}>
            {words.leaveThem}
          </button>
        </p>
      )}
      <div ref={box}>{now && <Arrivals going={now} width={width} />}</div>
      {now && <p className="quiet small">{words.hollowTheLastScoreSolid}</p>}
    </section>
  );
}
