/** A choice of a step that stands in the address beside the scope. */
import { useCallback } from "react";
import { useSearchParams } from "react-router";

export function useStepParam(name: string): [string | null, (value: string | null) => void] {
  const [params, setParams] = useSearchParams();
  const set = useCallback(
    (value: string | null) =>
      setParams(
        (now) => {
          if (value === null) now.delete(name);
          else now.set(name, value);
          return now;
        },
        { replace: true },
      ),
    [name, setParams],
  );
  return [params.get(name), set];
}
