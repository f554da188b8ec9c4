/** The one ramp of bands: sand, mist, slate, ink; other numbers of bands lie between them. */

/** Colour of the band of an order (1 = lowest) among so many bands. */
export function tone(order: number, bands: number): string {
  const place = bands <= 1 ? 3 : ((order - 1) / (bands - 1)) * 3;
  const low = Math.floor(place);
  const share = place - low;
  const first = `var(--ramp-${low + 1})`;
  if (share === 0) return first;
  return `color-mix(in oklab, ${first} ${Math.round((1 - share) * 100)}%, var(--ramp-${low + 2}))`;
}
