/** Make a group from the pinned students. */
import { useQuery } from "@tanstack/react-query";
import { type FormEvent, useState } from "react";
import { client, got, type Schemas } from "../api/client";
import { Name } from "../people/Hiding";
import { useMe } from "../people/me";
import { useAct } from "../step/useAct";
import { Dialog } from "../ui/Dialog";
import { FormEnd } from "../ui/FormEnd";
import { pins as words } from "../words/around/pins";
import { weeksLater } from "../words/days";
import { students } from "../words/format";

type Group = Schemas["GroupAnswer"];

interface Props {
  members: { id: string; name: string }[];
  measure?: { assessment: string; subject: string } | undefined;
  onClose: () => void;
  onMade: (group: Group) => void;
}

export function MakeGroup({ members, measure, onClose, onMade }: Props) {
  const me = useMe();
  const act = useAct("group");
  const adults = useQuery({ queryKey: ["adults"], queryFn: () => got(client.GET("/api/groups/adults")) });
  const [name, setName] = useState("");
  const [focus, setFocus] = useState("");
  const [adult, setAdult] = useState(String(me.id));
  const [first, setFirst] = useState(me.today);
  const [last, setLast] = useState(weeksLater(me.today, 8));
  const send = async (event: FormEvent) => {
    event.preventDefault();
    const body = {
      name,
      focus,
      adult_id: adult ? Number(adult) : null,
      first_day: first,
      last_day: last,
      ...(measure ?? {}),
      students: members.map((member) => member.id),
    };
    const made = await act.run(
      () => got(client.POST("/api/groups", { body })),
      (done) => ({ said: "", act: done.act ?? null }),
    );
    if (made) onMade(made);
  };
  return (
    <Dialog title={`Make a group of ${students(members.length)}`} onClose={onClose}>
      <form onSubmit={send}>
        <p className="quiet small u-below-10">
          {members.slice(0, 12).map((member, at) => (
            <span key={member.id}>
              {at > 0 && ", "}
              <Name name={member.name} />
            </span>
          ))}
          {members.length > 12 && words.andMore(members.length - 12)}
        </p>
        <label className="field">
          <span>{words.name}</span>
          <input value={name} onChange={(event) => setName(event.target.value)} required maxLength={160} />
        </label>
        <label className="field">
          <span>{words.focusWhatTheyWorkOn}</span>
          <input value={focus} onChange={(event) => setFocus(event.target.value)} required maxLength={160} />
        </label>
        <label className="field">
          <span>{words.adult}</span>
          <select value={adult} onChange={(event) => setAdult(event.target.value)}>
            <option value="">{words.nobodyYet}</option>
            {(adults.data ?? []).map((one) => (
              <option key={one.id} value={one.id}>
                {one.name}, {one.role.replace("_", " ")}
              </option>
            ))}
          </select>
        </label>
        <div className="two">
          <label className="field">
            <span>{words.start}</span>
            <input type="date" value={first} onChange={(event) => setFirst(event.target.value)} required />
          </label>
          <label className="field">
            <span>{words.end}</span>
            <input type="date" value={last} onChange={(event) => setLast(event.target.value)} required />
          </label>
        </div>
        <FormEnd
          fault={act.fault?.message ?? ""}
          onClose={onClose}
          act={words.makeTheGroup}
          disabled={act.busy}
        />
      </form>
    </Dialog>
  );
}
