/** The words of marks: every label and sentence a person reads there. */
export const marks = {
  band: (name: string) => `band ${name}`,
  inWord: (band: string, part: string, share: string, students: string) =>
    `${band} in ${part}: ${share}, ${students}`,
  movementBetweenTheBands: "Movement between the bands",
  fromToOfThoseWith: (band: string | undefined, band2: string | undefined, cell: string, percent: string) =>
    `From ${band} to ${band2}: ${cell}, ${percent} of those with both results`,
  thereIsNothingToDraw: "Nothing to show: no results in these windows.",
  trendOverTheWindows: "Trend over the windows",
  students: (name: string, part: string | undefined, say: string, part2: string, n: string) =>
    `${name}, ${part}: ${say}${part2}, ${n} students`,
  first: (first: string) => `first ${first}`,
  noFirstResult: "no first result",
  second: (second: string) => `second ${second}`,
  noSecondResult: "no second result",
  expected: (expected: string) => `expected ${expected}`,
  goal: (goal: string) => `goal ${goal}`,
  normMean: (to_norm_mean: string) => `norm mean ${to_norm_mean}`,
  districtMean: (district_mean: string) => `district mean ${district_mean}`,
  studentsByStartingPercentileAnd: (n: number, part: string) =>
    `${n} students by starting percentile and distance from expected. Arrow keys draw a region, Enter pins the students in it.${part}`,
};
