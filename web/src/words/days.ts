/** Days as year-month-day, counted on. */

/** A day so many days after another, or before it where they are negative. */
export function daysLater(day: string, days: number): string {
  const date = new Date(`${day}T12:00:00`);
  date.setDate(date.getDate() + days);
  return date.toISOString().slice(0, 10);
}

export const weeksLater = (day: string, weeks: number) => daysLater(day, 7 * weeks);
