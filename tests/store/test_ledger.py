"""Which tables a statement writes to, what is kept of that with a change, and what a read looked at."""

import unittest
from contextlib import ExitStack
from unittest import mock

from sqlalchemy import delete, insert, select, text, update

from bodkin.store.database import versions
from bodkin.store.ledger import changed_since, reads_of, written_by
from bodkin.store.reads import kept as kept_module
from bodkin.store.reads.kept import Kept
from bodkin.store.tables import Assessment, Norm, Program, School, Student, StudentProgram
from tests.support import stage


class Statements(unittest.TestCase):
    def test_what_a_statement_writes_to(self):
        """Every way of writing that the application has; a read writes to nothing."""
        for statement, names in (
            ("SELECT * FROM result WHERE id = 1", set()),
            ("INSERT INTO norm (strand, grade) VALUES (%s, %s)", {"norm"}),
            ("INSERT IGNORE INTO `cut` (id) SELECT id FROM norm", {"cut"}),
            ("REPLACE INTO school (id) VALUES (1)", {"school", "-school"}),
            ("UPDATE result SET score = (SELECT mean FROM norm LIMIT 1) WHERE id = 2", {"result"}),
            ("UPDATE result JOIN student ON student.id = result.student_id SET score = 1", {"result", "student"}),
            ("update `result` set score = 1", {"result"}),
            ("DELETE FROM result WHERE import_id = 3", {"result", "-result"}),
            ("DELETE FROM result", {"result", "-result"}),
            ("DELETE r FROM result r JOIN student s ON s.id = r.student_id WHERE s.id = 1",
             {"result", "-result", "student", "-student"}),
            ("LOAD DATA LOCAL INFILE %s INTO TABLE `result` CHARACTER SET utf8mb4 (`id`)", {"result"}),
            ("TRUNCATE TABLE norm", {"norm", "-norm"}),
            ("UPDATE district SET data_version = 2", set()),
            ("SET SESSION foreign_key_checks = 0", set()),
            ("  \n DELETE FROM norm\nWHERE id = 1", {"norm", "-norm"}),
        ):  # fmt: skip
            with self.subTest(statement=statement):
                self.assertEqual(written_by(statement), names)


class Kepts(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store, _ = stage.fresh()

    def at(self):
        with self.store.reading() as session:
            return versions(session)[0]

    def changed(self, since):
        with self.store.reading() as session:
            return changed_since(session, since)

    def test_a_change_is_kept_with_it(self):
        """By the session, by a statement and by plain SQL; what fails leaves no trace; older changes are older."""
        before = self.at()
        with self.store.writing(scores=False) as session:
            session.add(School(name="North"))
            session.execute(insert(Program).values(name="Meals"))
        self.assertEqual(self.changed(before), {"school", "program"})
        after = self.at()
        self.assertEqual(self.changed(after), frozenset())
        with self.assertRaises(ZeroDivisionError), self.store.writing(scores=False) as session:
            session.execute(update(School).values(name="South"))
            raise ZeroDivisionError
        self.assertEqual(self.changed(after), frozenset())
        with self.store.writing(scores=False) as session:
            session.add(School(name="Given up"))
            session.flush()
            session.rollback()
        self.assertEqual(self.changed(after), frozenset())
        with self.store.writing(scores=True) as session:
            session.execute(text("UPDATE school SET name = 'East'"))
            session.execute(delete(Program))
        self.assertEqual(self.changed(after), {"school", "program", "-program"})

    def test_what_a_read_looked_at(self):
        """Tables of joins and subqueries; reads within reads belong to both."""
        with self.store.reading() as session, reads_of(session) as outer:
            session.execute(select(Norm.mean).join(Assessment, Assessment.id == Norm.assessment_id))
            with reads_of(session) as inner:
                inside = select(StudentProgram.student_id).where(StudentProgram.program_id == 1)
                session.execute(select(Student.id).where(Student.id.in_(inside)))
            self.assertEqual(inner, {"student", "student_program"})
            session.execute(select(School.name))
        self.assertLessEqual({"norm", "assessment", "student", "student_program", "school"}, outer)

    def programs(self):
        """The names of programs as they are kept, and a list that grows with each time they are read."""
        read = []

        def names(session):
            read.append(1)
            return sorted(session.scalars(select(Program.name)))

        return Kept(names), read

    def test_a_thing_is_read_again_only_when_its_tables_change(self):
        """Another table's change leaves it; its own is seen; a session that began before sees what was then."""
        kept, read = self.programs()
        with self.store.reading() as session:
            first = kept.current(session)
        with self.store.writing(scores=False) as session:
            session.add(School(name="West"))
        with self.store.reading() as session:
            self.assertIs(kept.current(session), first)
        self.assertEqual(len(read), 1)
        with self.store.reading() as early:
            versions(early)
            with self.store.writing(scores=False) as session:
                session.add(Program(name="Zeal"))
            with self.store.reading() as session:
                self.assertEqual(kept.current(session), [*first, "Zeal"])
            # What was held a moment ago is still there for it; later it reads for itself, once.
            self.assertIs(kept.current(early), first)
            self.assertEqual(len(read), 2)
        with self.store.reading() as early:
            versions(early)
            with self.store.writing(scores=False) as session:
                session.add(Program(name="Zeal too"))
            with mock.patch.object(kept_module, "EARLIER_SECONDS", -1.0):
                with self.store.reading() as session:
                    self.assertEqual(kept.current(session), [*first, "Zeal", "Zeal too"])
                for _ in range(3):
                    self.assertEqual(kept.current(early), [*first, "Zeal"])
        with self.store.reading() as session:
            self.assertEqual(kept.current(session), [*first, "Zeal", "Zeal too"])
        self.assertEqual(len(read), 4)

    def test_many_who_began_at_many_states_read_once_each(self):
        """Sessions of six states of the data, each changed after; each sees its own, however late it asks."""
        kept, read = self.programs()
        with ExitStack() as all_open:
            early, seen = [], []
            for at in range(6):
                session = all_open.enter_context(self.store.reading())
                versions(session)
                early.append(session)
                seen.append(kept.current(session) if at % 2 else sorted(session.scalars(select(Program.name))))
                with self.store.writing(scores=False) as writing:
                    # Every other change leaves what was read as it is.
                    writing.add(Program(name=f"Late {at}") if at % 3 else School(name=f"Late {at}"))
            for _ in range(3):
                for at, session in enumerate(early):
                    self.assertEqual(kept.current(session), seen[at])
            with self.store.reading() as session:
                self.assertEqual(kept.current(session), sorted(session.scalars(select(Program.name))))
        self.assertLessEqual(len(read), 7)
