/** What colleagues passed on, on Home; opening it marks it as seen. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";
import { client, got } from "../api/client";
import { useHiding } from "../people/Hiding";
import { day } from "../words/format";
import { home as words } from "../words/steps/home";

const MOST = 6;

export function PassedOn() {
  const { hidden } = useHiding();
  const cache = useQueryClient();
  const remarks = useQuery({ queryKey: ["remarks"], queryFn: () => got(client.GET("/api/remarks")) });
  const rows = (remarks.data ?? []).slice(0, MOST);
  if (!rows.length || hidden) return null;
  const read = async (key: number) => {
    await got(client.POST("/api/remarks/{key}/read", { params: { path: { key } } }));
    cache.invalidateQueries({ queryKey: ["remarks"] });
  };
  return (
    <section aria-label={words.passedOnToYou} className="u-above-20">
      <h2>{words.passedOnToYou}</h2>
      <ul className="findings">
        {rows.map((one) => (
          <li key={one.id}>
            <Link to={one.path} onClick={() => read(one.id)}>
              {one.text}
            </Link>{" "}
            <span className="quiet small">
              {one.by}, {day(one.at.slice(0, 10))}
              {!one.read && ` · ${words.notSeenYet}`}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
