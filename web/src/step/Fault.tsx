/** What went wrong, said at once to everybody. */

export function Fault({ said }: { said: string | null | undefined }) {
  if (!said) return null;
  return (
    <p className="fault" role="alert">
      {said}
    </p>
  );
}
