/** What can be chosen for a scope: measures, windows, schools, classes and the rest. */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../api/client";
import { isOwn, type Scope } from "./scope";

export function useChoices(scope: Scope | null) {
  const years = scope
    ? [scope.from_window, scope.to_window].filter((w) => !isOwn(w)).map((w) => w.split(" ")[0] ?? "")
    : [];
  return useQuery({
    queryKey: ["choices", scope?.assessment, scope?.subject, ...years],
    queryFn: () =>
      got(
        client.GET("/api/scope/choices", {
          params: {
            query: scope ? { assessment: scope.assessment, subject: scope.subject, year: years } : {},
          },
        }),
      ),
  });
}
