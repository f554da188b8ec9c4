/** Which evidence counts: its period, sources and limits, kept in the address. */
import { useMemo } from "react";
import { useSearchParams } from "react-router";
import type { EvidenceAsked } from "../../panel/PanelContext";

const DAYS = ["evidence_from", "evidence_to"] as const;
const NUMBERS = ["mastered_from", "nearly_from", "fewest"] as const;

/** What the address asks for, and the same as part of a file's address. */
export function useEvidence() {
  const [params, setParams] = useSearchParams();
  const written = params.toString();
  const evidence = useMemo<EvidenceAsked>(() => {
    const now = new URLSearchParams(written);
    const found: EvidenceAsked = {};
    for (const name of DAYS) if (now.get(name)) found[name] = now.get(name);
    for (const name of NUMBERS) if (now.get(name)) found[name] = Number(now.get(name));
    if (now.getAll("source").length) found.source = now.getAll("source");
    return found;
  }, [written]);
  const set = (name: keyof EvidenceAsked, value: string | null) =>
    setParams(
      (now) => {
        if (value) now.set(name, value);
        else now.delete(name);
        return now;
      },
      { replace: true },
    );
  const intoQuery = (query: URLSearchParams) => {
    for (const name of [...DAYS, ...NUMBERS, "source"]) {
      for (const value of new URLSearchParams(written).getAll(name)) query.append(name, value);
    }
    return query;
  };
  return { evidence, set, intoQuery };
}
