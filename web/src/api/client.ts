/** The one way to the server: typed by its own description, errors in one shape. */
import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schemas = components["schemas"];

export class Refused extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly faults: Schemas["FaultBody"][] = [],
  ) {
    super(message);
  }
}

export const client = createClient<paths>({
  baseUrl: "/",
  querySerializer: { array: { style: "form", explode: true } },
});

type NewDay = (day: string) => void;
let dayBefore: string | null = null;
const waiting = new Set<NewDay>();

/** Calls back when the server's answers are of another day than those before; returns what ends that. */
export function onNewDay(callback: NewDay): () => void {
  waiting.add(callback);
  return () => waiting.delete(callback);
}

client.use({
  onResponse({ response }) {
    const day = response.headers.get("Bodkin-Day");
    if (day === null || day === dayBefore) return;
    const first = dayBefore === null;
    dayBefore = day;
    if (!first) for (const callback of waiting) callback(day);
  },
});

interface Answer<T> {
  data?: T;
  error?: unknown;
  response: Response;
}

/** The data of an answer, or the refusal as an error. */
export async function got<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>;
  try {
    answer = await asked;
  } catch {
    throw new Refused(0, "away", "Bodkin does not answer. Check that it is running, then try again.");
  }
  if (answer.response.ok) return answer.data as T;
  const body = (answer.error ?? {}) as Partial<Schemas["ErrorBody"]>;
  throw new Refused(
    answer.response.status,
    body.code ?? "error",
    body.message ?? "Something went wrong. Try again in a moment.",
    body.faults ?? [],
  );
}
