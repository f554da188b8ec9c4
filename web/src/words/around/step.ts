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
};
