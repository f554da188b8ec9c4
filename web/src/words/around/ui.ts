/** The words of ui: every label and sentence a person reads there. */
export const ui = {
  spreadsheet: "Spreadsheet",
  csv: "CSV",
  print: "Print",
  cancel: "Cancel",
  more: (n: string) => `Show more (${n} left)`,
};
