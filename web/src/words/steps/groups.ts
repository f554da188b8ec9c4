/** The words of groups: every label and sentence a person reads there. */
export const groups = {
  nobodyLeadsItYet: "no adult yet",
  to: (first_day: string, last_day: string) => `${first_day} to ${last_day}`,
  takeOut: (name: string) => `remove ${name}`,
  wasTakenOut: (name: string) => `${name} was removed.`,
  takeOut2: "remove",
  nobodyIsInItPin: "No students yet. Pin students and add them.",
  undo: "Undo",
  lookOnlyAtThese: "Show only these",
  putIn: (length: string) => `${length} added.`,
  putIn2: "Add",
  pinned: "pinned",
  change: "Change",
  noGroupsYet: "No groups yet",
  oneGroupIsRunning: "One group is running",
  groupsAreRunning: (running: number) => `${running} groups are running`,
  pinStudentsInCompareOr:
    "Pin students in Compare or Growth, then make a group of them at the foot of the screen. A group is a filter everywhere.",
  theseAreTheGroupsYou: "These are the groups you lead.",
};
