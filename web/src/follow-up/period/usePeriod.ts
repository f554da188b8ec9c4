/** The step's own period: last weeks, a marking period, this year, own days; it stands in the address. */
import { useMe } from "../../people/me";
import { useStepParam } from "../../step/useStepParam";
import { daysLater } from "../../words/days";

/** A period as the server takes it; empty: what the view takes by itself. */
export interface PeriodQuery {
  first?: string;
  last?: string;
  marking_period?: number;
}

const OWN = /^(\d{4}-\d{2}-\d{2})\.\.(\d{4}-\d{2}-\d{2})$/;

/** The first of August before a day: a school year begins no earlier. */
const yearBegins = (today: string) =>
  `${Number(today.slice(0, 4)) - (today.slice(5) < "08-01" ? 1 : 0)}-08-01`;

function queryOf(period: string | null, today: string): PeriodQuery {
  if (period === "weeks") return { first: daysLater(today, -27), last: today };
  if (period === "year") return { first: yearBegins(today), last: today };
  if (period?.startsWith("mp")) return { marking_period: Number(period.slice(2)) };
  const own = OWN.exec(period ?? "");
  return own ? { first: own[1] ?? "", last: own[2] ?? "" } : {};
}

export function usePeriod() {
  const me = useMe();
  const [period, setPeriod] = useStepParam("period");
  return { period, setPeriod, query: queryOf(period, me.today) };
}
