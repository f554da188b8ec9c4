/** The view at hand, or the student, passed on to a colleague with a remark. */
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { useLocation } from "react-router";
import { client, got } from "../api/client";
import { views as words } from "../words/around/views";

export function PassOn() {
  const { pathname, search } = useLocation();
  const readers = useQuery({ queryKey: ["readers"], queryFn: () => got(client.GET("/api/views/readers")) });
  const [to, setTo] = useState("");
  const [text, setText] = useState("");
  const [said, setSaid] = useState("");
  const [fault, setFault] = useState("");
  const send = async (event: FormEvent) => {
    event.preventDefault();
    setSaid("");
    setFault("");
    try {
      const body = { to: Number(to), path: `${pathname}${search}`, text };
      const done = await got(client.POST("/api/remarks", { body }));
      setSaid(done.mailed ? words.passedOnByMail(done.said) : done.said);
      setText("");
    } catch (error) {
      setFault((error as Error).message);
    }
  };
  return (
    <form onSubmit={send} className="u-above-14">
      <h2 className="u-larger">{words.passOn}</h2>
      <p className="quiet small">{words.passOnMeans}</p>
      <label className="field">
        <span>{words.colleague}</span>
        <select className="input" required value={to} onChange={(event) => setTo(event.target.value)}>
          <option value="">{words.choose}</option>
          {(readers.data?.people ?? []).map((one) => (
            <option key={one.id} value={one.id}>
              {one.name}
            </option>
          ))}
        </select>
      </label>
      <label className="field">
        <span>{words.remark}</span>
        <textarea
          rows={2}
          required
          maxLength={1000}
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
      </label>
      <button type="submit" className="plain" disabled={!to || !text.trim()}>
        {words.send}
      </button>
      <p role="status" className="small">
        {said}
      </p>
      {fault && (
        <p role="alert" className="fault">
          {fault}
        </p>
      )}
    </form>
  );
}
