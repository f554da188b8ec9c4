/** The words of people: every label and sentence a person reads there. */
export const people = {
  student: "Student",
  bodkin: "Bodkin",
  oneCalmDeskForThe: "One calm desk for the testing round.",
  login: "Login",
  password: "Password",
  signIn: "Sign in",
};
