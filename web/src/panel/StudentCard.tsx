/** One student in the panel: every result, and what the latest score resembles. */
import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link } from "react-router";
import { client, got } from "../api/client";
import { useMe } from "../people/me";
import { usePins } from "../pins/PinContext";
import { PinMark } from "../pins/PinMark";
import { useScope } from "../scope/ScopeContext";
import { How } from "../step/How";
import { useKeys } from "../ui/useKeys";
import { panel as words } from "../words/around/panel";
import { day, score } from "../words/format";
import { CorrectResult } from "./CorrectResult";
import { usePanel } from "./PanelContext";

export function StudentCard({ id }: { id: string }) {
  const card = useQuery({
    queryKey: ["student", id],
    queryFn: () => got(client.GET("/api/students/{student_id}", { params: { path: { student_id: id } } })),
  });
  const { pick, openStudent, close } = usePanel();
  const { to } = useScope();
  const { act } = usePins();
  const me = useMe();
  const [correcting, setCorrecting] = useState(false);
  const name = card.data?.name;
  useKeys(
    useMemo(
      () => ({ p: () => name !== undefined && act({ type: "toggle", student: { id, name } }) }),
      [act, id, name],
    ),
  );
  if (card.isError) return <p className="fault list">{card.error.message}</p>;
  if (!card.data) return <p className="quiet list">{words.looking}</p>;
  const found = card.data;
  return (
    <>
      <header>
        <h2>
          <PinMark id={id} name={found.name} /> {found.name}
        </h2>
        <p className="quiet small">
          {[found.grade && words.grade(found.grade), found.section, found.school, ...found.programs]
            .filter(Boolean)
            .join(" · ")}
        </p>
        <div className="tools">
          <Link className="word" to={to(`/student/${encodeURIComponent(id)}`)} onClick={close}>
            {words.wholePage}
          </Link>
          {pick && (
            <button type="button" className="word" onClick={() => openStudent(null)}>
              {words.backToTheList}
            </button>
          )}
          {me.may_decide && found.results.length > 0 && (
            <button type="button" className="word" onClick={() => setCorrecting(true)}>
              {words.correctAResult}
            </button>
          )}
        </div>
        {correcting && <CorrectResult id={id} name={found.name} onClose={() => setCorrecting(false)} />}
      </header>
      {/* biome-ignore lint/a11y/noNoninteractiveTabindex: the list scrolls on its own */}
      <section className="list" tabIndex={0} aria-label={words.results}>
        <table className="rows">
          <thead>
            <tr>
              <th>{words.test}</th>
              <th>{words.window}</th>
              <th>{words.tested}</th>
              <th className="num">{words.score}</th>
            </tr>
          </thead>
          <tbody>
            {found.results.map((result, at) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: two sittings can be alike in all but their place
              <tr key={at}>
                <td className="u-wraps">
                  {result.title}
                  {result.language && result.language !== "English" && (
                    <span className="quiet"> · {result.language}</span>
                  )}
                </td>
                <td>{result.window ?? <span className="quiet">{words.outside}</span>}</td>
                <td className="quiet">{day(result.tested_on)}</td>
                <td className="num">
                  {score(result.score)}
                  {result.standard_error != null && (
                    <span className="quiet small"> ±{score(result.standard_error)}</span>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {found.resembles.length > 0 && (
          <div className="small u-above-14">
            {found.resembles.map((one) => (
              <p key={one.title} className="quiet u-above-8">
                {one.title}: {one.sentence} <How of="resembling-grades-and-seasons">{words.how}</How>
              </p>
            ))}
          </div>
        )}
        {found.results.length === 0 && <p className="quiet u-room">{words.noResultsYet}</p>}
      </section>
    </>
  );
}
