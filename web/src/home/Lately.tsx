/** What one opened lately: students, and the scopes looked at. */

import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { client, got } from "../api/client";
import { StudentName } from "../panel/StudentName";
import { useMe } from "../people/me";
import { latelyScopes, useViews } from "../views/useViews";
import { home as words } from "../words/steps/home";

export function Lately() {
  const me = useMe();
  const [scopes] = useState(() => latelyScopes(me.id));
  const views = useViews().data ?? [];
  const opened = useQuery({
    queryKey: ["lately"],
    queryFn: () => got(client.GET("/api/views/lately")),
    staleTime: 0,
  });
  const students = opened.data ?? [];
  if (students.length + scopes.length + views.length === 0) return null;
  return (
    <section aria-label={words.lately} className="u-above-20">
      <h2>{words.lately}</h2>
      {students.length > 0 && (
        <p>
          {students.map((one, at) => (
            <span key={one.student_id}>
              {at > 0 && <span className="quiet"> · </span>}
              <StudentName student={one} />
            </span>
          ))}
        </p>
      )}
      <ul className="findings">
        {views.slice(0, 6).map((view) => (
          <li key={view.key}>
            <Link to={`/${view.step}?${view.query}`}>
              {view.favourite ? "★ " : ""}
              {view.name}
            </Link>
            {view.line && <div className="quiet small">{view.line}</div>}
          </li>
        ))}
        {scopes.map((one) => (
          <li key={one.caption}>
            <Link to={one.path} className="small">
              {one.caption}
            </Link>
          </li>
        ))}
      </ul>
    </section>
  );
}
