/** Who is signed in. */
import { createContext, useContext } from "react";
import type { Schemas } from "../api/client";

export const MeContext = createContext<Schemas["Me"] | null>(null);

export function useMe(): Schemas["Me"] {
  const me = useContext(MeContext);
  if (!me) throw new Error("useMe outside a session");
  return me;
}
