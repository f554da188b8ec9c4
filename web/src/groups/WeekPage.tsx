/** An adult's week: who meets whom when, places left, double bookings, and minutes against what is required. */
import { useQuery } from "@tanstack/react-query";
import { client, got, type Schemas } from "../api/client";
import { useMe } from "../people/me";
import { Done } from "../step/Done";
import { Fault } from "../step/Fault";
import { Shown } from "../step/Shown";
import { useAct } from "../step/useAct";
import { Download } from "../ui/Download";
import { PrintButton } from "../ui/PrintButton";
import { groups as words } from "../words/steps/groups";
import css from "./board.module.css";

type Week = Schemas["WeekAnswer"];
type Meeting = Schemas["Meeting"];

const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri"];
const TIERS = [2, 3];

function Meets({ one }: { one: Meeting }) {
  const left = one.left ?? null;
  return (
    <li className={one.twice ? css.twice : undefined}>
      <span className="quiet">{one.slot.replace(/^\w+ /, "")}</span> {one.name}
      <small>
        {words.studentsHere(one.n)}
        {left !== null && `, ${left < 0 ? words.over(-left) : words.placesLeft(left)}`}
        {one.twice && `, ${words.doubleBooked}`}
      </small>
    </li>
  );
}

function Required({ week, save }: { week: Week; save: (tier: number, minutes: number | null) => void }) {
  return (
    <section aria-label={words.requiredMinutes}>
      <h2>{words.requiredMinutes}</h2>
      <p className={css.pair}>
        {TIERS.map((tier) => (
          <label key={`${tier} ${week.required[tier] ?? ""}`}>
            {words.tierOf(tier)}{" "}
            <input
              className="plain"
              type="number"
              min={1}
              max={3000}
              defaultValue={week.required[tier] ?? ""}
              onBlur={(event) => {
                const minutes = event.target.value === "" ? null : Number(event.target.value);
                if (minutes !== (week.required[tier] ?? null)) save(tier, minutes);
              }}
            />{" "}
            {words.minutesAWeek}
          </label>
        ))}
      </p>
    </section>
  );
}

function WeekTable({ week }: { week: Week }) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: the table scrolls on its own
    <section className="scroll" tabIndex={0} aria-label={words.week}>
      <table className={`rows ${css.week}`}>
        <thead>
          <tr>
            <th>{words.adult}</th>
            {DAYS.map((day) => (
              <th key={day}>{day}</th>
            ))}
            <th>{words.otherSlots}</th>
            <th className="num">{words.minutesAWeek}</th>
          </tr>
        </thead>
        <tbody>
          {week.adults.map((adult) => (
            <tr key={adult.adult}>
              <th scope="row">{adult.adult}</th>
              {DAYS.map((day, at) => (
                <td key={day}>
                  <ul>
                    {adult.meetings
                      .filter((one) => one.day === at)
                      .map((one) => (
                        <Meets key={one.slot + one.group} one={one} />
                      ))}
                  </ul>
                </td>
              ))}
              <td>
                <ul>
                  {adult.meetings
                    .filter((one) => one.day == null)
                    .map((one) => (
                      <Meets key={one.slot + one.group} one={one} />
                    ))}
                  {adult.without_slot.map((name) => (
                    <li key={name}>
                      {name}
                      <small>{words.noSlotYet}</small>
                    </li>
                  ))}
                </ul>
              </td>
              <td className="num">{adult.minutes ?? words.notKnown}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function headline(week: Week): string {
  if (!week.adults.length) return words.noGroupsYet;
  if (week.double_booked.length) return words.twiceBooked(week.double_booked.length);
  if (week.short.length) return words.shortGroups(week.short.length);
  return words.weekFits;
}

export function WeekPage() {
  const me = useMe();
  const act = useAct("group");
  const week = useQuery({
    queryKey: ["groups", "week"],
    queryFn: () => got(client.GET("/api/board/week")),
  });
  const save = (tier: number, minutes: number | null) =>
    act.run(
      () => got(client.PUT("/api/board/required-minutes", { body: { tier, minutes } })),
      (done) => ({ said: done.said, act: done.id }),
    );
  return (
    <Shown query={week}>
      {(data) => (
        <>
          <h1>{headline(data)}</h1>
          <p className="lead">{words.weekLead}</p>
          <div role="status" aria-live="polite">
            <Done said={act.said} act={act.last} undo={act.undo} />
          </div>
          <Fault said={act.fault?.message} />
          {[...data.double_booked, ...data.short.map(words.shortGroup)].map((said) => (
            <p key={said}>{said}</p>
          ))}
          {data.adults.length > 0 && <WeekTable week={data} />}
          <p className={css.pair}>
            {me.may_export && <Download path="board/week" what={words.week} />}
            <PrintButton />
          </p>
          {me.may_set_up && <Required week={data} save={save} />}
        </>
      )}
    </Shown>
  );
}
