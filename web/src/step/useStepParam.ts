/** Choices of a step that stand in the address beside the scope. */
import { useCallback } from "react";
import { useNavigate, useSearchParams } from "react-router";

/** Sets several of them at once; null takes one out. */
export function useSetStepParams(): (values: Record<string, string | null>) => void {
  const navigate = useNavigate();
  return useCallback(
    (values) => {
      // The address as it is by now: two choices in quick succession stand on one another, drawn or not.
      const { pathname, search } = window.location;
      const now = new URLSearchParams(search);
      for (const [name, value] of Object.entries(values)) {
        if (value === null) now.delete(name);
        else now.set(name, value);
      }
      navigate({ pathname, search: now.toString() }, { replace: true });
    },
    [navigate],
  );
}

export function useStepParam(name: string): [string | null, (value: string | null) => void] {
  const [params] = useSearchParams();
  const setParams = useSetStepParams();
  const set = useCallback((value: string | null) => setParams({ [name]: value }), [name, setParams]);
  return [params.get(name), set];
}
