/** The words of pins: every label and sentence a person reads there. */
export const pins = {
  pin: (name: string) => `Pin ${name}`,
  changeTheGroup: "Change the group",
  andMore: (part: number) => ` and ${part} more`,
  name: "Name",
  focusWhatTheyWorkOn: "Focus: what they work on",
  adult: "Adult",
  nobodyYet: "nobody yet",
  start: "Start",
  end: "End",
  keepTheChanges: "Save changes",
  makeTheGroup: "Make the group",
};
