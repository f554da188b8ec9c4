/** The words of home: every label and sentence a person reads there. */
export const home = {
  lately: "Lately",
  hasEarnedAWord: "Has earned praise",
  needsAWord: "Needs a check-in",
  nothingToLookAtYet: "Nothing to show yet",
  bringInScoresFirstNorms:
    "Import scores first; norms and cuts can follow. Bodkin shows what is in a file before importing anything.",
  bringInAFile: "Import a file",
  thereAreNoResultsYet: "There are no results yet of students you look after. Your data coach imports them.",
  goodDay: "Good day,",
  theRoundAtAGlance: "The round at a glance, for the students and windows named above.",
  worthALook: "Worth a look",
  lookingForWhatStandsOut: "Looking for what stands out …",
  tryAgain: "Try again",
  worthCelebrating: "Worth celebrating",
  sinceYouWereHere: "Since you were here",
  filesNeedYou: (n: number) =>
    n === 1 ? "1 file of the watched folder needs you" : `${n} files of the watched folder need you`,
  passedOnToYou: "Passed on to you",
  notSeenYet: "not opened yet",
};
