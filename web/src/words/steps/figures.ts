/** The words of figures: every label and sentence a person reads there. */
export const figures = {
  figures: "Figures",
  howTheFiguresAreWorked: "How the figures are worked out",
};
