/** Did help of a kind work: all groups of a tier, a focus or an adult together. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got } from "../../api/client";
import { asked, type Scope } from "../../scope/scope";
import { followUp as words } from "../../words/steps/follow-up";
import { HelpedAnswerView } from "../groups/Helped";

export function KindHelped({ scope }: { scope: Scope }) {
  const kinds = useQuery({
    queryKey: ["follow-up", "helped", "kinds"],
    queryFn: () => got(client.GET("/api/follow-up/helped/kinds")),
  });
  const [chosen, setChosen] = useState<number | null>(null);
  const kind = chosen === null ? undefined : kinds.data?.[chosen];
  const answer = useQuery({
    queryKey: ["follow-up", "helped", "kind", kind, scope],
    queryFn: () =>
      got(
        client.GET("/api/follow-up/helped", {
          params: { query: { ...asked(scope), kind: kind?.kind ?? "tier", value: kind?.value ?? "" } },
        }),
      ),
    enabled: kind !== undefined,
  });
  if (!kinds.data?.length) return null;
  return (
    <section aria-label={words.didAKindHelp}>
      <h2>{words.didAKindHelp}</h2>
      <p>
        <label>
          {words.allGroupsOf}{" "}
          <select
            className="plain"
            value={chosen ?? ""}
            onChange={(event) => setChosen(event.target.value === "" ? null : Number(event.target.value))}
          >
            <option value="">{words.choose}</option>
            {kinds.data.map((one, at) => (
              <option key={`${one.kind}${one.value}`} value={at}>
                {words.kinds[one.kind]} {one.value} ({one.groups})
              </option>
            ))}
          </select>
        </label>
      </p>
      {kind && <HelpedAnswerView query={answer} />}
    </section>
  );
}
