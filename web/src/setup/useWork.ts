/** Work that takes a while: what is being done, what came of it, why it failed. */
import { useState } from "react";
import type { Refused } from "../api/client";

export function useWork(after?: () => void) {
  const [busy, setBusy] = useState("");
  const [fault, setFault] = useState<Refused | null>(null);
  const [done, setDone] = useState("");
  const doing = async (what: string, work: () => Promise<void>) => {
    setBusy(what);
    setFault(null);
    setDone("");
    try {
      await work();
    } catch (error) {
      setFault(error as Refused);
    }
    setBusy("");
    after?.();
  };
  return { busy, fault, done, setDone, doing };
}
