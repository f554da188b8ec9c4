/** The words of pins: every label and sentence a person reads there. */
export const pins = {
  pin: (name: string) => `Pin ${name}`,
  andMore: (part: number) => ` and ${part} more`,
  name: "Name",
  focusWhatTheyWorkOn: "Focus: what they work on",
  adult: "Adult",
  nobodyYet: "nobody yet",
  start: "Start",
  end: "End",
  makeTheGroup: "Make the group",
};
