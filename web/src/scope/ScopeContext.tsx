/** Holds the scope for all steps: it is read from the address and written to it, nowhere else. */
import { useQuery } from "@tanstack/react-query";
import { createContext, type ReactNode, useCallback, useContext, useEffect, useMemo, useRef } from "react";
import { useLocation, useNavigate } from "react-router";
import { client, got } from "../api/client";
import { firstChoice, readScope, type Scope, withScope, writeScope } from "./scope";

interface ScopeState {
  scope: Scope | null;
  /** The server knows of no results this person may see. */
  nothing: boolean;
  change: (part: Partial<Scope>) => void;
  reset: () => void;
  /** The address of a step with the scope in it. */
  to: (path: string) => string;
}

const Context = createContext<ScopeState | null>(null);

export function useScope(): ScopeState {
  const state = useContext(Context);
  if (!state) throw new Error("useScope outside ScopeProvider");
  return state;
}

/** Whether an address is that of a shared view. */
function isView(path: string): boolean {
  return path.startsWith("/view/");
}

export function ScopeProvider({ children }: { children: ReactNode }) {
  const location = useLocation();
  const navigate = useNavigate();
  const here = useMemo(() => readScope(new URLSearchParams(location.search)), [location.search]);
  const last = useRef<Scope | null>(null);
  if (here) last.current = here;
  const scope = here ?? last.current;
  const first = useQuery({
    queryKey: ["first"],
    queryFn: () => got(client.GET("/api/scope/first")),
  });

  const write = useCallback(
    (next: Scope, replace = false) => {
      // Where one is by now, not where one was when this was drawn: a key may have led on meanwhile.
      const { pathname, search } = window.location;
      navigate({ pathname, search: withScope(new URLSearchParams(search), next).toString() }, { replace });
    },
    [navigate],
  );

  useEffect(() => {
    // A link without a scope takes on the one at hand, or the person's first choice; a shared view
    // brings its own. It may have come since this was drawn: what counts is the address as it is by now.
    const { pathname, search } = window.location;
    if (here || isView(pathname) || readScope(new URLSearchParams(search))) return;
    const firstScope = first.data?.scope;
    if (last.current) write(last.current, true);
    else if (firstScope) write({ ...firstChoice({} as Scope), ...firstScope }, true);
  }, [here, first.data, write]);

  const state = useMemo<ScopeState>(
    () => ({
      scope,
      nothing: !scope && first.isSuccess && first.data.scope === null,
      change: (part) => {
        // Two changes in quick succession: the second stands on the first, drawn or not.
        const now = readScope(new URLSearchParams(window.location.search)) ?? last.current;
        if (now) write({ ...now, ...part });
      },
      reset: () => {
        if (!scope) return;
        // One window alone has no first choice of its own; the person's first scope tells the two.
        const firstScope = scope.from_window === scope.to_window ? first.data?.scope : null;
        const windows = firstScope
          ? { from_window: firstScope.from_window, to_window: firstScope.to_window }
          : {};
        write({ ...firstChoice(scope), ...windows });
      },
      to: (path) => (scope ? `${path}?${writeScope(scope)}` : path),
    }),
    [scope, first.isSuccess, first.data, write],
  );
  return <Context value={state}>{children}</Context>;
}
