/** A student's name that opens the student in the side panel. */
import { Name } from "../people/Hiding";
import { usePanel } from "./PanelContext";

interface Props {
  student: { student_id: string; name: string };
  /** In running text the name is a word, in a list a line of its own. */
  look?: "open" | "word";
}

export function StudentName({ student, look = "open" }: Props) {
  const { openStudent } = usePanel();
  return (
    <button
      type="button"
      className={look}
      onClick={() => openStudent({ id: student.student_id, name: student.name })}
    >
      <Name name={student.name} />
    </button>
  );
}
