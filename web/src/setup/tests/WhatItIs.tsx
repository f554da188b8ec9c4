/** What a test is: its kind, and whose norms its norms are; said on the page, changed in place. */
import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { client, got, type Refused, type Schemas } from "../../api/client";
import { setup as words } from "../../words/steps/setup";
import { FaultBox } from "../FaultBox";

export function WhatItIs({ test }: { test: Schemas["TestAnswer"] }) {
  const cache = useQueryClient();
  const [open, setOpen] = useState(false);
  const [kind, setKind] = useState(test.kind);
  const [group, setGroup] = useState(test.norm_group ?? "");
  const [fault, setFault] = useState<Refused | null>(null);
  const keep = async () => {
    setFault(null);
    try {
      await got(
        client.POST("/api/measures/one", {
          body: {
            assessment: test.assessment,
            subject: test.subject,
            kind,
            norm_group: group.trim() || null,
          },
        }),
      );
      setOpen(false);
      cache.invalidateQueries();
    } catch (error) {
      setFault(error as Refused);
    }
  };
  if (!open)
    return (
      <p className="u-above-0 u-below-10">
        {test.kind.charAt(0).toUpperCase() + test.kind.slice(1)} {words.testNorms}{" "}
        {test.norm_group ? (
          <strong>{test.norm_group.toLowerCase()}</strong>
        ) : (
          <span className="quiet">{words.nobodyHasSaidWhose}</span>
        )}
        .{" "}
        <button type="button" className="word" onClick={() => setOpen(true)}>
          {words.changeThis}
        </button>
      </p>
    );
  return (
    <form
      className="inline"
      onSubmit={(event) => {
        event.preventDefault();
        keep();
      }}
    >
      <label>
        {words.kind}{" "}
        <select className="input" value={kind} onChange={(event) => setKind(event.target.value)}>
          {test.kinds.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
      </label>
      <label>
        {words.whoseNorms}{" "}
        <input
          className="input"
          value={group}
          maxLength={160}
          onChange={(event) => setGroup(event.target.value)}
        />
      </label>
      <button type="submit" className="plain">
        {words.keep}
      </button>
      <button type="button" className="word" onClick={() => setOpen(false)}>
        {words.leaveAsItIs}
      </button>
      {fault && <FaultBox fault={fault} />}
    </form>
  );
}
