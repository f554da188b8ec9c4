/** The sentence of the scope and the live line of each step. */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../api/client";
import { useScope } from "./ScopeContext";
import { asked } from "./scope";

/** The sentence and the live lines: at first without that of Check, which takes longest. */
export function useRail() {
  const { scope, nothing } = useScope();
  const ask = (quick: boolean) => () =>
    scope
      ? got(client.GET("/api/scope/rail", { params: { query: { ...asked(scope), quick } } }))
      : got(client.GET("/api/scope/rail/without-scope"));
  const quick = useQuery({
    queryKey: ["rail", scope, "quick"],
    queryFn: ask(true),
    enabled: Boolean(scope),
    // The sentence never goes away while the next one is on its way, or an open picker would go with it.
    placeholderData: (before) => before,
  });
  const whole = useQuery({
    queryKey: ["rail", scope],
    queryFn: ask(false),
    enabled: (quick.isFetched && !quick.isPlaceholderData) || nothing,
    placeholderData: (before) => before,
  });
  if (whole.data && !whole.isPlaceholderData) return whole;
  if (quick.data && !quick.isPlaceholderData) return quick;
  return whole.data ? whole : quick;
}
