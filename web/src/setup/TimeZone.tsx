/** The district's time zone: where its days begin and end, and which day it is there now. */
import { useQuery } from "@tanstack/react-query";
import { Select } from "antd";
import { client, got } from "../api/client";
import { Done } from "../step/Done";
import { Fault } from "../step/Fault";
import { Shown } from "../step/Shown";
import { useAct } from "../step/useAct";
import { day } from "../words/format";
import { setup as words } from "../words/steps/setup";

/** Stands for the zone of the machine, which has no name of its own. */
const MACHINE = "";

export function TimeZone() {
  const zone = useQuery({
    queryKey: ["time-zone"],
    queryFn: () => got(client.GET("/api/calendar/time-zone")),
  });
  const act = useAct("setting");
  const change = (time_zone: string) =>
    act.run(
      () => got(client.PUT("/api/calendar/time-zone", { body: { time_zone: time_zone || null } })),
      (kept) => ({ said: kept.said, act: kept.id }),
    );
  return (
    <section aria-label={words.timeZone}>
      <Shown query={zone}>
        {(found) => (
          <>
            <span className="quiet">{words.timeZone}</span>{" "}
            <Select
              showSearch
              className="timezone"
              aria-label={words.timeZone}
              disabled={act.busy}
              value={found.time_zone ?? MACHINE}
              optionFilterProp="label"
              options={[
                { value: MACHINE, label: words.timeZoneOfServer },
                ...found.choices.map((name) => ({ value: name, label: name.replaceAll("_", " ") })),
              ]}
              onChange={change}
            />{" "}
            <span className="quiet">
              {found.pinned ? words.dayIsSet(day(found.today)) : words.todayIs(day(found.today))}
            </span>
          </>
        )}
      </Shown>
      <Done said={act.said} act={act.last} undo={act.undo} />
      <Fault said={act.fault?.message} />
    </section>
  );
}
