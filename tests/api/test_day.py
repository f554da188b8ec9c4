"""The day moves: a server left running follows it, in every process; and what is cached of one day is of that day."""

import threading
import unittest
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from bodkin.commands.serving import free_port_after
from bodkin.core.errors import BadInput
from bodkin.demo.district import PASSWORD
from bodkin.store.database import day_of, zone_of
from bodkin.store.day import day_in, zone_named, zone_names
from bodkin.store.reads.kept import Kept
from bodkin.store.tables import (
    Assessment,
    Document,
    Enrolment,
    Goal,
    Group,
    GroupMember,
    Person,
    School,
    SchoolYear,
    Section,
    SectionTeacher,
    Student,
    StudentYear,
)
from bodkin.store.writes.setup import Source
from tests.api.application import build
from tests.api.client import TestClient
from tests.support import stage
from tests.support.moved_clock import MovedServer

NEW_YORK = ZoneInfo("America/New_York")
THIS, NEXT = (date(2026, 9, 1), date(2027, 6, 15)), (date(2027, 8, 30), date(2028, 6, 14))


def two_years(session):
    """A teacher with a class in each of two years, an aide with a group, a goal and a document that end in June."""
    session.add(School(id=1, name="Fenwick"))
    session.add_all(
        SchoolYear(id=at, name=name, first_day=days[0], last_day=days[1])
        for at, name, days in ((1, "2026-27", THIS), (2, "2027-28", NEXT))
    )
    session.add_all(
        Person(id=at, name=role.title(), role=role, login=role, password_hash=stage.password())
        for at, role in ((1, "coach"), (2, "teacher"), (3, "aide"))
    )
    session.add_all(Student(id=at, student_id=f"s{at}", family_name=f"No{at}", given_name="A") for at in (1, 2))
    session.add(Assessment(id=1, name="Gauge", subject="reading", kind="adaptive"))
    session.flush()
    for at, days in ((1, THIS), (2, NEXT)):
        session.add(StudentYear(student_id=at, school_year_id=at, school_id=1, grade="4"))
        session.add(Section(id=at, school_year_id=at, school_id=1, name="4 Wren", kind="home"))
        session.flush()
        session.add(SectionTeacher(section_id=at, person_id=2))
        session.add(Enrolment(section_id=at, student_id=at, first_day=days[0]))
    last = {"first_day": date(2027, 5, 3), "last_day": date(2027, 6, 11)}
    session.add(Group(id=1, name="Readers", focus="reading", assessment_id=1, adult_id=3, made_by_id=1, **last))
    session.flush()
    session.add(GroupMember(group_id=1, student_id=1, first_day=date(2027, 5, 3)))
    session.add(Goal(student_id=1, assessment_id=1, kind="own", target=500, by_day=date(2027, 6, 12)))
    session.add(
        Document(id=1, student_id=1, kind="plan", name="plan.pdf", media="application/pdf", size=1, sha256="0",
                 shared=True, at=datetime(2027, 5, 3), until=date(2027, 6, 13))
    )  # fmt: skip


class Running(unittest.TestCase):
    """Two server processes over one database, whose clock is moved while they run."""

    @classmethod
    def setUpClass(cls):
        cls.store, address = stage.fresh(None)
        with cls.store.writing(scores=True) as session:
            two_years(session)
        began = datetime(2027, 6, 10, 12)
        first = free_port_after(20_000 + threading.get_native_id() % 20_000)
        cls.servers = []
        for port in (first, free_port_after(first)):
            cls.servers.append(MovedServer(address, began, port))
            cls.addClassCleanup(cls.servers[-1].stop)
        for server in cls.servers:
            server.sign_in("coach")
        said = cls.servers[0].ask("/api/calendar/time-zone", {"time_zone": "America/New_York"}, "PUT")
        assert said.status == 200, said.said

    def seen(self, moment):
        """What both say at a moment in New York: the day, whom the teacher reaches, groups, goal, documents."""
        found = []
        for server in self.servers:
            server.at(moment.replace(tzinfo=NEW_YORK).astimezone(UTC))
            server.sign_in("teacher")
            reach = [one for one in ("s1", "s2") if server.ask(f"/api/students/{one}").status == 200]
            server.sign_in("coach")
            today = server.ask("/api/me")
            self.assertEqual(today.headers["bodkin-day"], today.said["today"])
            groups = [one["name"] for one in server.ask("/api/follow-up/groups").said]
            past = [one["past"] for one in server.ask("/api/goals/s1?assessment=Gauge&subject=reading").said]
            files = [one["name"] for one in server.ask("/api/students/s1/documents").said]
            server.sign_in("aide")
            aide = server.ask("/api/students/s1").status == 200
            found.append((today.said["today"], reach, groups, past, files, aide))
        self.assertEqual(found[0], found[1])
        return found[0]

    def test_from_june_to_the_next_school_year(self):
        """Midnights, the end of a group, a goal, a document and a year, and the first day of the next year."""
        group, plan = ["Readers"], ["plan.pdf"]
        for moment, expected in (
            (datetime(2027, 6, 10, 12), ("2027-06-10", ["s1"], group, [False], plan, True)),
            (datetime(2027, 6, 11, 23, 59), ("2027-06-11", ["s1"], group, [False], plan, True)),
            (datetime(2027, 6, 12, 0, 1), ("2027-06-12", ["s1"], [], [False], plan, False)),
            (datetime(2027, 6, 13, 0, 1), ("2027-06-13", ["s1"], [], [True], plan, False)),
            (datetime(2027, 6, 14, 0, 1), ("2027-06-14", ["s1"], [], [True], [], False)),
            (datetime(2027, 6, 16, 0, 1), ("2027-06-16", ["s1"], [], [True], [], False)),
            (datetime(2027, 8, 29, 23, 59), ("2027-08-29", ["s1"], [], [True], [], False)),
            (datetime(2027, 8, 30, 0, 1), ("2027-08-30", ["s2"], [], [True], [], False)),
        ):
            with self.subTest(moment=moment):
                self.assertEqual(self.seen(moment), expected)

    def test_the_clocks_change(self):
        """Midnight in New York is 5:00 UTC in winter and 4:00 in summer; both servers go by New York."""
        for moment, day in (
            (datetime(2027, 3, 14, 4, 59), "2027-03-13"), (datetime(2027, 3, 14, 5, 1), "2027-03-14"),
            (datetime(2027, 3, 15, 3, 59), "2027-03-14"), (datetime(2027, 3, 15, 4, 1), "2027-03-15"),
            (datetime(2027, 11, 7, 3, 59), "2027-11-06"), (datetime(2027, 11, 7, 4, 1), "2027-11-07"),
            (datetime(2027, 11, 8, 4, 59), "2027-11-07"), (datetime(2027, 11, 8, 5, 1), "2027-11-08"),
        ):  # fmt: skip
            for server in self.servers:
                server.at(moment)
                server.sign_in("coach")
                self.assertEqual(server.ask("/api/me").said["today"], day, moment)


class Cached(unittest.TestCase):
    def setUp(self):
        self.store, _ = stage.fresh(date(2027, 2, 12))

    def on(self, day, ask):
        self.store.pinned = day
        with self.store.reading() as session:
            return ask(session)

    def test_what_rests_on_the_day_is_read_again_on_another(self):
        """And on the next question of the same day is not; what rests on no day is not read again at all."""
        read = []

        def dated(session):
            read.append("dated")
            return day_of(session)

        def plain(_session):
            read.append("plain")
            return 0

        dated, plain = Kept(dated), Kept(plain)
        both = Kept(lambda session: (dated.current(session), plain.current(session)))
        first, second = date(2027, 2, 12), date(2027, 2, 13)
        for day, expected in (
            (first, ["dated", "plain"]), (first, []), (second, ["dated"]), (second, []),
            # A question that began before midnight sees its own day.
            (first, []),
        ):  # fmt: skip
            read.clear()
            self.assertEqual(self.on(day, both.current), (day, 0))
            self.assertEqual(read, expected)

    def test_a_session_has_one_day(self):
        """From its first look to its last, though midnight comes in between."""
        self.store.pinned = None
        with self.store.reading() as session:
            day = day_of(session)
            self.store.pinned = day + timedelta(days=1)
            self.assertEqual(day_of(session), day)


class Zone(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.store, _ = stage.fresh()
        with cls.store.writing(scores=True) as session:
            two_years(session)
        cls.application = build(stage.settings(), cls.store)

    def client(self, login):
        client = TestClient(self.application)
        client.post("/api/sign-in", json={"login": login, "password": PASSWORD})
        return client

    def test_it_is_set_and_taken_back(self):
        """By the coach alone; a name that is none is refused and changes nothing."""
        coach = self.client("coach")
        self.assertEqual(self.client("teacher").get("/api/calendar/time-zone").status_code, 403)
        self.assertEqual(
            self.client("teacher").put("/api/calendar/time-zone", json={"time_zone": None}).status_code, 403
        )
        self.assertIsNone(coach.get("/api/calendar/time-zone").json()["time_zone"])
        kept = coach.put("/api/calendar/time-zone", json={"time_zone": "Europe/Lisbon"}).json()
        with self.store.reading() as session:
            self.assertEqual(zone_of(session), ZoneInfo("Europe/Lisbon"))
        wrong = coach.put("/api/calendar/time-zone", json={"time_zone": "Lisbon"})
        self.assertEqual(wrong.status_code, 422)
        self.assertIn("time_zone", wrong.json()["message"])
        self.assertEqual(coach.get("/api/calendar/time-zone").json()["time_zone"], "Europe/Lisbon")
        self.assertEqual(coach.post(f"/api/acts/{kept['id']}/undo").status_code, 200)
        self.assertIsNone(coach.get("/api/calendar/time-zone").json()["time_zone"])

    def test_the_day_at_a_moment(self):
        """By hand: half past four in the morning UTC is another day east and west of it."""
        moment = datetime(2027, 3, 1, 4, 30, tzinfo=UTC)
        for name, day in (("Pacific/Auckland", 1), ("Europe/Lisbon", 1), ("America/New_York", 28)):
            self.assertEqual(day_in(zone_named(name), moment).day, day, name)
        self.assertIn("America/New_York", zone_names())
        with self.assertRaisesRegex(BadInput, "America/New_York"):
            zone_named("Etc")

    def test_an_hour_that_comes_twice_is_fetched_in_once(self):
        """One o'clock in New York comes twice on 7 November 2027; two o'clock never comes on 14 March."""

        def due(at_hour, last, hour, minute, fold=0, day=(2027, 11, 7)):
            source = Source(1, "", "", "", "", at_hour, last, None, None)
            return source.due(datetime(*day, hour, minute, tzinfo=NEW_YORK, fold=fold))

        fetched = datetime(2027, 11, 7, 5, 1)  # UTC: the first 1:01
        self.assertTrue(due(1, datetime(2027, 11, 6, 5, 1), 1, 0))
        self.assertFalse(due(1, fetched, 1, 30))
        self.assertFalse(due(1, fetched, 1, 30, fold=1))
        self.assertFalse(due(1, fetched, 3, 0))
        self.assertTrue(due(2, datetime(2027, 3, 13, 7, 1), 3, 0, day=(2027, 3, 14)))
