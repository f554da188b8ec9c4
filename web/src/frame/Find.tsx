/** Find a student by name. */
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { client, got } from "../api/client";
import { usePanel } from "../panel/PanelContext";
import { Dialog } from "../ui/Dialog";
import { frame as words } from "../words/around/frame";

export function Find({ onClose }: { onClose: () => void }) {
  const [text, setText] = useState("");
  const { openStudent } = usePanel();
  const found = useQuery({
    queryKey: ["find", text],
    queryFn: () => got(client.GET("/api/students", { params: { query: { q: text } } })),
    enabled: text.trim().length > 0,
    placeholderData: (before) => before,
  });
  const rows = text.trim() ? (found.data ?? []) : [];
  const open = (id: string, name: string) => {
    onClose();
    openStudent({ id, name });
  };
  return (
    <Dialog title={words.findAStudent} onClose={onClose}>
      <form
        onSubmit={(event) => {
          event.preventDefault();
          const first = rows[0];
          if (first) open(first.student_id, first.name);
        }}
      >
        <input
          className="input"
          aria-label={words.nameOrNumberOfThe}
          placeholder={words.nameOrNumber}
          value={text}
          autoFocus
          onChange={(event) => setText(event.target.value)}
        />
      </form>
      <ul style={{ listStyle: "none", padding: 0, margin: "10px 0 0", minHeight: 120 }}>
        {rows[0]?.near && <li className="quiet">{words.nearTheName}</li>}
        {rows.map((row) => (
          <li key={row.student_id} style={{ padding: "3px 0" }}>
            <button type="button" className="open" onClick={() => open(row.student_id, row.name)}>
              {row.name}
            </button>{" "}
            <span className="quiet small">
              {[row.grade && words.grade(row.grade), row.school].filter(Boolean).join(" · ")}
            </span>
          </li>
        ))}
        {text.trim() && found.isSuccess && rows.length === 0 && (
          <li className="quiet">{words.nobodyOfThatNameAmong}</li>
        )}
      </ul>
      <div className="buttons">
        <button type="button" className="plain" onClick={onClose}>
          {words.close}
        </button>
      </div>
    </Dialog>
  );
}
