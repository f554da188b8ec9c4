/** Views kept by name: one's own, and the scopes looked at lately in this browser. */
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { client, got } from "../api/client";

export function useViews() {
  return useQuery({ queryKey: ["views"], queryFn: () => got(client.GET("/api/views")) });
}

export interface LatelyScope {
  caption: string;
  path: string;
}

const MOST = 6;
const key = (who: number) => `bodkin-lately-${who}`;

export function latelyScopes(who: number): LatelyScope[] {
  try {
    return JSON.parse(localStorage.getItem(key(who)) ?? "[]") as LatelyScope[];
  } catch {
    return [];
  }
}

/** Keeps that this scope was looked at, once it has been for a while; in this browser only. */
export function useNoteScope(who: number, caption: string | undefined, path: string) {
  useEffect(() => {
    if (!caption) return;
    const timer = setTimeout(() => {
      const rest = latelyScopes(who).filter((one) => one.caption !== caption);
      localStorage.setItem(key(who), JSON.stringify([{ caption, path }, ...rest].slice(0, MOST)));
    }, 3000);
    return () => clearTimeout(timer);
  }, [who, caption, path]);
}
