/** The words of step: every label and sentence a person reads there. */
export const step = {
  howThisIsWorkedOut: "How this is worked out",
  whatStandsBelowIsFrom: "What you see below is from before.",
  undo: "Undo",
  tryAgain: "Try again",
  thatDidNotWork: "That did not work",
  workingItOut: "Working …",
  notes: (length: number) => `${length} notes`,
  onHowThisWasWorked: "on how this was worked out",
  howEveryFigureIsWorked: "How every figure is worked out",
  backToTheFirstChoice: "Back to the default",
  thereIsNoSuchPage: "There is no such page",
  useTheStepsAtThe: "Use the steps at the left to go on.",
  lookOnlyAt: (value: string) => `Show only ${value}`,
  outlookByUnit: "Outlook by unit",
  unit: "Unit",
  students: "Students",
  expectedShare: "Expected",
  eightTimesInTen: "8 times in 10",
  expectedAtOrAbove: (band: string) => `Expected at ${band} or above`,
  unitExpected: (value: string, share: string, band: string) =>
    `${value}: ${share} expected at ${band} or above`,
  noUnitCanBeTold: "Nothing can be told of these units yet.",
  theLineIsEverybody:
    "The line is everybody together, the whisker the range in 8 cases of 10. A small unit has a wide one: a student more or less is a large part of it.",
};
