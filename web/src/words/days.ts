/** Days as year-month-day, counted on. */

/** A day so many days after another, or before it where they are negative. */
export function daysLater(day: string, days: number): string {
  // In UTC throughout: at noon of the browser's own zone it is another day there in parts of the Pacific.
  const date = new Date(`${day}T12:00:00Z`);
  date.setUTCDate(date.getUTCDate() + days);
  return date.toISOString().slice(0, 10);
}

export const weeksLater = (day: string, weeks: number) => daysLater(day, 7 * weeks);
