/** The period as a sentence with its picker in place. */
import { useQuery } from "@tanstack/react-query";
import { client, got } from "../../api/client";
import { useMe } from "../../people/me";
import { followUp as words } from "../../words/steps/follow-up";
import css from "../followUp.module.css";
import { usePeriod } from "./usePeriod";

export function PeriodLine(props: {
  /** What the view looks at where nothing is chosen. */
  first: string;
  shown: { first: string; last: string };
}) {
  const me = useMe();
  const { period, setPeriod } = usePeriod();
  const periods = useQuery({
    queryKey: ["follow-up", "periods"],
    queryFn: () => got(client.GET("/api/follow-up/periods")),
    enabled: me.may_team,
    staleTime: Number.POSITIVE_INFINITY,
  });
  const own = Boolean(period?.includes(".."));
  return (
    <p className={css.period}>
      <label>
        {words.over}{" "}
        <select
          aria-label={words.period}
          value={own ? "own" : (period ?? "")}
          onChange={(event) => {
            const chosen = event.target.value;
            setPeriod(chosen === "own" ? `${props.shown.first}..${props.shown.last}` : chosen || null);
          }}
        >
          <option value="">{props.first}</option>
          <option value="weeks">{words.lastFourWeeks}</option>
          {(periods.data ?? []).map((one) => (
            <option key={one.id} value={`mp${one.id}`}>
              {one.name}
            </option>
          ))}
          <option value="year">{words.thisYear}</option>
          <option value="own">{words.daysOfMyOwn}</option>
        </select>
      </label>
      {own &&
        (["first", "last"] as const).map((end) => (
          <label key={end}>
            {" "}
            {end === "first" ? words.from : words.to}{" "}
            <input
              type="date"
              value={props.shown[end]}
              onChange={(event) => {
                const value = event.target.value;
                const { first, last } = props.shown;
                if (value) setPeriod(end === "first" ? `${value}..${last}` : `${first}..${value}`);
              }}
            />
          </label>
        ))}
    </p>
  );
}
