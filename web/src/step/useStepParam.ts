/** Choices of a step that stand in the address beside the scope. */
import { useCallback } from "react";
import { useSearchParams } from "react-router";

/** Sets several of them at once; null takes one out. */
export function useSetStepParams(): (values: Record<string, string | null>) => void {
  const [, setParams] = useSearchParams();
  return useCallback(
    (values) =>
      setParams(
        (now) => {
          for (const [name, value] of Object.entries(values)) {
            if (value === null) now.delete(name);
            else now.set(name, value);
          }
          return now;
        },
        { replace: true },
      ),
    [setParams],
  );
}

export function useStepParam(name: string): [string | null, (value: string | null) => void] {
  const [params] = useSearchParams();
  const setParams = useSetStepParams();
  const set = useCallback((value: string | null) => setParams({ [name]: value }), [name, setParams]);
  return [params.get(name), set];
}
