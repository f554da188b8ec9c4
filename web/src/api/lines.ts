/** Answers that come line by line: each line is handed on as it arrives. */
import { Refused, type Schemas } from "./client";

/** Post a body and read lines of JSON until the last; `signal` hangs up. Raises Refused as every call does. */
export async function lines<T>(
  path: string,
  body: unknown,
  each: (line: T) => void,
  signal: AbortSignal,
): Promise<void> {
  const answer = await fetch(path, {
    method: "POST",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify(body),
    signal,
  });
  if (!answer.ok || !answer.body) {
    const fault = (await answer.json().catch(() => ({}))) as Partial<Schemas["ErrorBody"]>;
    throw new Refused(
      answer.status,
      fault.code ?? "error",
      fault.message ?? "Something went wrong. Try again in a moment.",
      fault.faults ?? [],
    );
  }
  const reader = answer.body.pipeThrough(new TextDecoderStream()).getReader();
  let held = "";
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    const parts = (held + value).split("\n");
    held = parts.pop() ?? "";
    for (const line of parts) if (line) each(JSON.parse(line) as T);
  }
}
