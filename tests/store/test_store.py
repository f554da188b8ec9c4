"""The store: migrations, the score table by version, a database that goes away, reach and groups."""

import os
import tempfile
import unittest
from contextlib import ExitStack
from datetime import date
from pathlib import Path

from alembic import command
from sqlalchemy import select, text
from sqlalchemy.exc import DBAPIError

from bodkin.core.errors import Conflict, StoreDown
from bodkin.policy.reach import students_in_reach
from bodkin.store import database
from bodkin.store.database import Store, alembic_config
from bodkin.store.reads.people import by_key
from bodkin.store.reads.table.refresh import ScoreTables
from bodkin.store.server import DatabaseServer
from bodkin.store.settings import Settings
from bodkin.store.tables import Enrolment, Person, Section, SectionTeacher, Student, StudentYear
from bodkin.store.writes import groups
from tests.support import stage


class Migrations(unittest.TestCase):
    def test_a_server_keeps_its_passing_files_to_itself(self):
        """Two servers on one machine never clear each other's."""
        with stage.demo().reading() as session:
            folder = session.connection().exec_driver_sql("SELECT @@tmpdir").scalar_one()
        self.assertEqual(Path(folder), stage.server().settings.folder / "passing")

    def test_migrated_tables_are_the_tables_of_the_code(self):
        """Alembic's own comparison finds no difference."""
        store, _ = stage.fresh()
        command.check(alembic_config(store.engine))

    def test_they_go_down_and_up_again(self):
        """The way back works too."""
        store, _ = stage.fresh()
        command.downgrade(alembic_config(store.engine), "base")
        store.migrate()
        command.check(alembic_config(store.engine))

    def test_identifiers_differ_by_case_and_trailing_space(self):
        """Two identifiers that a lax collation would take for one stay two."""
        store, _ = stage.fresh()
        with store.writing(scores=True) as session:
            session.add_all(Student(student_id=name) for name in ("ab", "AB", "ab ", "áb"))
        with store.reading() as session:
            self.assertEqual(
                session.scalars(select(Student.student_id).where(Student.student_id == "ab")).all(), ["ab"]
            )


class Tables(unittest.TestCase):
    def test_made_once_a_version(self):
        """The same version is the same table; a write to scores makes another, a group does not."""
        store, _ = stage.fresh()
        tables, seen = ScoreTables(), []
        for scores, expected in ((None, 1), (False, 1), (True, 2)):
            if scores is not None:
                with store.writing(scores=scores):
                    pass
            with store.reading() as session:
                for _ in range(2):
                    if not any(one is tables.current(session) for one in seen):
                        seen.append(tables.current(session))
            self.assertEqual(len(seen), expected)


class Away(unittest.TestCase):
    def test_a_database_that_does_not_answer_is_an_error_of_our_own(self):
        """Nobody listens on this port."""
        store = Store("mariadb+mysqldb://x:y@127.0.0.1:9/none")
        with self.assertRaisesRegex(StoreDown, "does not answer"), store.reading() as session:
            session.execute(text("SELECT 1"))


class Restarted(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        """One server on disk for all that kills it."""
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        settings = Settings(Path(holder.name), stage.TODAY, Path(holder.name))
        cls.server = DatabaseServer(settings, ("--max-connections=12",))
        cls.server.start()
        cls.addClassCleanup(cls.server.stop)
        cls.store = Store(cls.server.settings.database_url)
        cls.store.migrate()
        with cls.store.writing(scores=True) as session:
            session.add(Student(student_id="a"))
            session.add(Person(id=1, name="Ana", role="coach"))

    def test_killed_while_a_proposal_is_taken_over(self):
        """The old group has ended and a new one is made, nothing of it committed: afterwards it is as it was."""
        days = {"first_day": stage.TODAY, "last_day": stage.TODAY, "focus": "x"}
        with self.store.writing(scores=False) as session:
            old, _ = groups.make(session, {"name": "Old", **days}, None, 1)
            groups.add_members(session, old, ["a"], stage.TODAY)

        def tables():
            with self.store.reading() as session:
                ask = session.connection().exec_driver_sql
                return [ask(f"SELECT * FROM {name}").all() for name in ("`group`", "group_member", "act")]

        before = tables()
        with self.assertRaises(StoreDown), self.store.writing(scores=False) as session:
            groups.remove_members(session, old, ["a"], stage.TODAY)
            fresh, _ = groups.make(session, {"name": "New", **days}, None, 1)
            groups.add_members(session, fresh, ["a"], stage.TODAY)
            session.flush()
            self.server.process.kill()
            self.server.process.wait()
        self.server.start(same_port=True)
        self.assertEqual(tables(), before)

    def test_killed_and_started_again_under_an_open_store(self):
        """An error of our own while it is away; afterwards the same store answers, with the same data."""
        server, store = self.server, self.store
        server.process.kill()
        server.process.wait()
        for _ in range(2):
            with self.assertRaises(StoreDown), store.reading() as session:
                session.scalars(select(Student.student_id)).all()
        server.start(same_port=True)
        with store.reading() as session:
            self.assertEqual(session.scalars(select(Student.student_id)).all(), ["a"])

    def test_no_connection_left(self):
        """Who comes when all are taken is told to try again; once one is free there is an answer."""
        with self.assertRaisesRegex(StoreDown, "busy. Nothing was changed"), ExitStack() as held:
            for _ in range(20):
                session = held.enter_context(self.store.reading())
                session.scalars(select(Student.student_id)).all()
        with self.store.reading() as session:
            self.assertEqual(session.scalars(select(Student.student_id)).all(), ["a"])

    def test_there_are_connections_for_several_processes(self):
        """Four processes of the application may open all they ever open, and the server takes it."""
        with stage.small().reading() as session:
            self.assertGreaterEqual(session.scalar(text("SELECT @@max_connections")), 4 * database.CONNECTIONS)

    def test_passwords_lie_in_files_nobody_else_reads(self):
        """Secret and database password are for the owner only, and loopback is where the server listens."""
        settings = stage.server().settings
        self.assertTrue(settings.secrets and settings.vault.seal("x"))
        for path in (settings.database_file, settings.folder / "secret", settings.vault.path):
            self.assertEqual(path.stat().st_mode & 0o077, 0, path)
        self.assertIn("@127.0.0.1:", settings.database_url)


class Reach(unittest.TestCase):
    """Whom each role may know of, checked against the rosters themselves."""

    def of(self, login):
        with stage.demo().reading() as session:
            key = session.scalar(select(Person.id).where(Person.login == login))
            return students_in_reach(session, by_key(session, key), stage.TODAY), key

    def test_a_coach_reaches_the_district(self):
        """None stands for everyone."""
        self.assertIsNone(self.of("coach")[0])

    def test_a_teacher_reaches_own_classes_of_this_year_only(self):
        """The pupils of 4 Curlew of 2026-27, nobody of last year's class of that name."""
        reach, key = self.of("teacher")
        with stage.demo().reading() as session:
            rows = session.execute(
                select(Student.student_id, Section.school_year_id)
                .join(Enrolment, Enrolment.student_id == Student.id)
                .join(Section, Section.id == Enrolment.section_id)
                .join(SectionTeacher, SectionTeacher.section_id == Section.id)
                .where(SectionTeacher.person_id == key)
            ).all()
        self.assertEqual(reach, {student for student, year in rows if year == 3})
        self.assertTrue({student for student, year in rows if year == 2} - reach)

    def test_a_lead_reaches_the_own_school(self):
        """All of Saltgrass this year and nobody else."""
        reach, _ = self.of("lead")
        with stage.demo().reading() as session:
            here = session.scalars(
                select(Student.student_id)
                .join(StudentYear, StudentYear.student_id == Student.id)
                .where(StudentYear.school_year_id == 3, StudentYear.school_id == 2)
            )
            self.assertEqual(reach, set(here))

    def test_interventionist_and_aide_reach_groups(self):
        """The interventionist also the assigned grade; the aide only the own group."""
        specialist, aide = self.of("specialist")[0], self.of("aide")[0]
        self.assertEqual(len(aide), 10)
        self.assertGreater(len(specialist), 24)
        self.assertFalse(aide & specialist)

    def test_a_role_that_is_not_known_reaches_nobody(self):
        """Denied unless allowed."""
        from dataclasses import replace

        with stage.demo().reading() as session:
            person = by_key(session, self.of("coach")[1])
            self.assertEqual(students_in_reach(session, replace(person, role="visitor"), stage.TODAY), frozenset())


class Groups(unittest.TestCase):
    def test_members_come_go_and_come_back(self):
        """A stay that began today leaves no trace when it ends today; an older one ends yesterday."""
        store, _ = stage.fresh()
        monday, friday = date(2027, 2, 8), date(2027, 2, 12)
        with store.writing(scores=True) as session:
            session.add_all([Student(student_id="a"), Student(student_id="b"), Person(name="C", role="coach")])
            session.flush()
            days = {"first_day": monday, "last_day": friday}
            key, _ = groups.make(session, {"name": "G", "focus": "f", **days}, None, 1)
            groups.add_members(session, key, ["a", "b"], monday)
            groups.remove_members(session, key, ["a"], friday)
            groups.add_members(session, key, ["a"], friday)
            groups.remove_members(session, key, ["a", "nobody"], friday)
        with store.reading() as session:
            self.assertEqual(groups.all_groups(session, friday)[0].members, {"b"})
            stays = session.execute(text("SELECT student_id, last_day FROM group_member ORDER BY id")).all()
            self.assertEqual([last for _, last in stays], [date(2027, 2, 11), None])
        with self.assertRaisesRegex(Conflict, "have a group"), store.writing(scores=False) as session:
            groups.make(session, {"name": "G", "focus": "f", **days}, None, 1)


class Accounts(unittest.TestCase):
    """Who gets into the database: the application, into its own schema, and root of this machine by its socket."""

    @classmethod
    def setUpClass(cls):
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.server = DatabaseServer(Settings(Path(holder.name), stage.TODAY, Path(holder.name)))
        cls.server.start()
        cls.addClassCleanup(cls.server.stop)
        cls.store = Store(cls.server.settings.database_url)
        cls.port = cls.server._read_state()["port"]

    def enters(self, user, **more):
        """Whether somebody gets in, over loopback."""
        import MySQLdb

        try:
            MySQLdb.connect(host="127.0.0.1", port=self.port, user=user, **more).close()
        except MySQLdb.Error:
            return False
        return True

    def socket(self):
        words = Path(f"/proc/{self.server.process.pid}/cmdline").read_bytes().split(b"\0")
        return next(word.decode().removeprefix("--socket=") for word in words if word.startswith(b"--socket="))

    def as_root(self, *statements):
        """What the machine's root reads through the socket."""
        import MySQLdb

        connection = MySQLdb.connect(unix_socket=self.socket(), user="root")
        cursor = connection.cursor()
        for statement in statements:
            cursor.execute(statement)
        rows = cursor.fetchall()
        connection.commit()
        connection.close()
        return rows

    def test_nobody_enters_over_loopback_without_the_password(self):
        """Root in any way, nobody at all, the application with another password."""
        for user in ("root", "", "mysql", "mariadb.sys"):
            for more in ({}, {"password": ""}, {"password": "root"}):
                self.assertFalse(self.enters(user, **more), (user, more))
        self.assertFalse(self.enters("bodkin"))
        self.assertFalse(self.enters("bodkin", password="x"))
        self.assertTrue(self.enters("bodkin", password=self.server._read_state()["password"]))

    def test_the_application_reaches_its_own_schema_only(self):
        """No accounts, no files of the server, no other schema."""
        for statement in (
            "SELECT * FROM mysql.user", "SELECT * FROM mysql.global_priv", "CREATE DATABASE x",
            "SELECT * FROM mysql.db",
            "SELECT 1 INTO OUTFILE '/tmp/bodkin-out'", "SET GLOBAL max_connections = 5", "CREATE USER 'x'@'%'",
        ):  # fmt: skip
            with self.subTest(statement=statement), self.assertRaises(DBAPIError), self.store.engine.begin() as own:
                own.execute(text(statement))
        with self.store.engine.begin() as own:
            grants = [row[0] for row in own.execute(text("SHOW GRANTS"))]
            self.assertIsNone(own.scalar(text("SELECT LOAD_FILE('/etc/passwd')")))
        # Its own schema, and the two that a restore builds up and clears away beside it.
        own_schemas = ("bodkin", "bodkin\\_restoring", "bodkin\\_replaced")
        expected = [f"GRANT ALL PRIVILEGES ON `{one}`.*" for one in own_schemas]
        self.assertEqual([grant.split(" TO ")[0] for grant in grants], ["GRANT USAGE ON *.*", *expected])

    @unittest.skipUnless(os.geteuid() == 0, "only the machine's root can walk the accounts and become another user")
    def test_an_old_data_folder_is_made_safe_at_the_next_start(self):
        """Accounts that were left open go; another user of the machine enters neither by socket nor by loopback."""
        self.as_root("CREATE USER 'root'@'127.0.0.1'", "GRANT ALL ON *.* TO 'root'@'127.0.0.1'", "CREATE USER ''@'%'",
                     "GRANT ALL ON *.* TO 'bodkin'@'127.0.0.1'", "ALTER USER 'root'@'localhost' IDENTIFIED BY ''",
                     "CREATE USER 'left over'@'%'")  # fmt: skip
        self.assertTrue(self.enters("root"))
        self.server.stop()
        self.server.start(same_port=True)
        accounts = self.as_root("SELECT User, Host FROM mysql.user WHERE User <> 'PUBLIC'")
        self.assertEqual(set(accounts), {("bodkin", "127.0.0.1"), ("root", "localhost"), ("mariadb.sys", "localhost")})
        self.test_nobody_enters_over_loopback_without_the_password()
        self.test_the_application_reaches_its_own_schema_only()
        # As somebody else of this machine, in a process of its own.
        child = os.fork()
        if not child:
            os.setuid(65534)
            import MySQLdb

            found = 0
            for user in ("root", "bodkin", ""):
                for way in ({"unix_socket": self.socket()}, {"host": "127.0.0.1", "port": self.port}):
                    try:
                        MySQLdb.connect(user=user, **way).close()
                        found += 1
                    except MySQLdb.Error:
                        pass
            os._exit(found)
        self.assertEqual(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]), 0)
