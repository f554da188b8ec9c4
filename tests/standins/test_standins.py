"""The simulated services, and Bodkin's ends of them: a roster page by page, a class at its test."""

import json
import os
import tempfile
import time
import unittest
import unittest.mock
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from unittest import mock

import httpx
import numpy as np
from sqlalchemy import func, select

from bodkin.api.app import build as build_bodkin
from bodkin.api.setup.schedule import Clock
from bodkin.commands import serving
from bodkin.commands.demo import STUDENT_SYSTEM, prepare_stand_ins
from bodkin.core.errors import BodkinError, ServiceAway
from bodkin.demo.district import SCALES
from bodkin.exchange.imports import imports
from bodkin.exchange.oneroster.package_out import oneroster_tables
from bodkin.exchange.services import rostering, sources
from bodkin.exchange.services.rostering import PATH, ROSTER_SCOPE, fetch, from_json, to_json
from bodkin.exchange.services.sources import pull, pull_due
from bodkin.standins.adaptive_test import LASTS, ClassSitting, TestTaker, adaptive_test, middle, run_class
from bodkin.standins.app import CLIENT_ID, CLIENT_SECRET, build
from bodkin.store.server import port_free
from bodkin.store.tables import Enrolment, Result, Section, StrandResult, Student
from bodkin.store.writes.setup import Source, add_source, all_sources, remove_source
from bodkin.store.writes.undo import undo_import
from tests.api.client import TestClient
from tests.support import stage
from tests.support.extent import extent
from tests.support.oneroster import ROSTER, package


def forget_sources(store):
    """Leave the demo as it was."""
    with store.writing(scores=False) as session:
        for source in all_sources(session):
            remove_source(session, source.id)


class Rostering(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.folder.cleanup)
        cls.store = stage.small_copy()
        cls.addClassCleanup(forget_sources, cls.store)
        cls.roster = Path(cls.folder.name) / "roster.zip"
        prepare_stand_ins(cls.store, cls.roster, "http://127.0.0.1:1/", stage.settings().vault)
        cls.client = TestClient(build(cls.roster))
        cls.transport = cls.client._transport

    def token(self):
        found = {"grant_type": "client_credentials", "scope": ROSTER_SCOPE}
        answer = self.client.post("/token", data=found, auth=(CLIENT_ID, CLIENT_SECRET))
        return {"Authorization": f"Bearer {answer.json()['access_token']}"}

    def test_nobody_reads_without_a_token(self):
        """The stand-in refuses a missing, wrong or expired token."""
        self.assertEqual(self.client.get(f"{PATH}/users").status_code, 401)
        headers = {"Authorization": "Bearer made-up"}
        self.assertEqual(self.client.get(f"{PATH}/users", headers=headers).status_code, 401)
        found = {"grant_type": "client_credentials", "scope": ROSTER_SCOPE}
        self.assertEqual(self.client.post("/token", data=found, auth=(CLIENT_ID, "wrong")).status_code, 401)
        for wrong in ({"grant_type": "password"}, {"scope": "x"}):
            answer = self.client.post("/token", data=found | wrong, auth=(CLIENT_ID, CLIENT_SECRET))
            self.assertEqual(answer.status_code, 400)
        self.assertEqual(self.client.get(f"{PATH}/shoes", headers=self.token()).status_code, 404)

    def test_pages_follow_each_other_to_the_end(self):
        """Every row arrives once, whatever the size of a page."""
        headers, seen, path = self.token(), [], f"{PATH}/enrollments?limit=700&offset=0"
        while path:
            answer = self.client.get(path, headers=headers)
            self.assertLessEqual(len(answer.json()["enrollments"]), 700)
            seen += [one["sourcedId"] for one in answer.json()["enrollments"]]
            link = answer.headers.get("Link", "")
            path = link.split(";")[0].strip("<>") if 'rel="next"' in link else None
        self.assertEqual(len(seen), int(answer.headers["X-Total-Count"]))
        self.assertEqual(len(seen), len(set(seen)))

    def test_rows_to_objects_and_back_are_the_same_rows(self):
        """CSV rows and the service's objects hold the same."""
        with self.store.reading() as session:
            frames = oneroster_tables(session, results=False)
        made = from_json({name: json.loads(json.dumps(to_json(name, frames))) for name in frames})
        for name, frame in frames.items():
            drop = ["sourcedId"] if name == "roles" else []
            with self.subTest(name):
                # Roles stand with their users there, by their own ids here.
                order = str if name == "roles" else None
                ours, theirs = (one.drop(drop).rows() for one in (made[name], frame))
                self.assertTrue(sorted(ours, key=order) == sorted(theirs, key=order) if order else ours == theirs)

    def source(self) -> Source:
        with self.store.reading() as session:
            return next(one for one in all_sources(session) if one.name == STUDENT_SYSTEM)

    def test_the_roster_of_tomorrow_comes_in_and_goes_back(self):
        """What is fetched is imported, and undo leaves the tables as they were."""
        content = fetch("http://stand.in/", CLIENT_ID, CLIENT_SECRET, transport=self.transport)
        with self.store.writing(scores=True) as session:
            key, seen = imports.bring_in(session, "roster.zip", content, None, datetime(2026, 2, 13))
        self.assertEqual(seen.reading.faults, [])
        self.assertEqual(seen.plan.adds["students"], 3)
        details = [row.detail for row in seen.plan.rows if row.act == "changed"]
        self.assertEqual(sum("-Wray" in one for one in details), 1)
        self.assertEqual(sum("2027-02-12" in one for one in details), 2)
        self.assertEqual(len(details), 3)
        with self.store.reading() as session:
            self.assertTrue(imports.preview(session, "again.zip", content).plan.empty)
            self.assertEqual(session.scalar(select(func.count()).where(Student.student_id.like("SR9%"))), 3)
        with self.store.writing(scores=True) as session:
            undo_import(session, key)
        with self.store.reading() as session:
            self.assertEqual(session.scalar(select(func.count()).where(Student.sourced_id.is_not(None))), 0)

    def test_services_that_do_not_behave_are_told_in_words(self):
        """Wrong status, wrong content, no answer: each has a sentence."""

        def answering(handler):
            return httpx.MockTransport(handler)

        def away(request):
            raise httpx.ConnectError("refused", request=request)

        def token_then(answer):
            def handler(request):
                if request.url.path.endswith("token"):
                    return httpx.Response(200, json={"access_token": "x"})
                return answer

            return handler

        for handler, found in (
            (away, "No rostering service answers"),
            (lambda _: httpx.Response(401), "check the client's name and secret"),
            (lambda _: httpx.Response(500), "status 500"),
            (lambda _: httpx.Response(200, text="<html>"), "does not follow"),
            (token_then(httpx.Response(200, json=[1])), "does not follow"),
            (token_then(httpx.Response(200, json={"orgs": [{"name": "x"}]})), "does not follow"),
            (token_then(httpx.Response(200, json={"orgs": None})), "does not follow"),
            (token_then(httpx.Response(200, text="[" * 100_000)), "does not follow"),
        ):
            with self.subTest(found), self.assertRaisesRegex(ServiceAway, found):
                fetch("http://stand.in/", "a", "b", transport=answering(handler))

    def test_an_address_that_is_none_and_an_answer_that_drips(self):
        """In words, and in time: silence is one limit, a whole answer another."""
        for address in ("http://[::1", "http://", "nonsense", "http://a b/"):
            with self.subTest(address), self.assertRaises(ServiceAway):
                fetch(address, "a", "b")

        class Drip(httpx.SyncByteStream):
            def __iter__(self):
                for _ in range(200):
                    time.sleep(0.02)
                    yield b" "

        transport = httpx.MockTransport(lambda _: httpx.Response(200, stream=Drip()))
        with mock.patch.object(rostering, "ANSWER_SECONDS", 0.2), self.assertRaisesRegex(ServiceAway, "too slowly"):
            fetch("http://stand.in/", "a", "b", transport=transport)
        endless = httpx.MockTransport(lambda _: httpx.Response(200, content=b"x" * 5000))
        with mock.patch.object(rostering, "LARGEST_ANSWER", 4000), self.assertRaisesRegex(ServiceAway, "sends more"):
            fetch("http://stand.in/", "a", "b", transport=endless)

    def test_what_asks_for_a_person_is_not_fetched_in_by_the_clock(self):
        """Two other names for a known id: kept as failed with what is open, and nothing is changed."""
        store, _ = stage.fresh()
        with store.writing(scores=False) as session:
            add_source(session, name="S", address="http://127.0.0.1:9/", client_id="a", client_secret="b", at_hour=5)
        first = package(**ROSTER)
        other = package(**{**ROSTER, "users": ROSTER["users"].replace("Ana,Zorro", "Kit,Marsh")})
        with store.reading() as session:
            source = all_sources(session)[0]
        for content in (first, other):
            with mock.patch.object(sources, "fetch_from", return_value=content):
                if content is first:
                    pull(store, stage.settings(), source)
                    continue
                with self.assertRaisesRegex(BodkinError, "1 question is open"):
                    pull(store, stage.settings(), source)
        with store.reading() as session:
            self.assertTrue(all_sources(session)[0].last_failed)
            self.assertEqual(session.scalar(select(Student.given_name).where(Student.student_id == "1001")), "Ana")

    def test_fetched_by_the_clock_once_a_day(self):
        """Not before its hour, once after it, and again the next day; a failure is kept and does not stop it."""
        store, _ = stage.fresh()
        with store.writing(scores=False) as session:
            add_source(session, name="S", address="http://127.0.0.1:9/", client_id="a", client_secret="b", at_hour=5)
        morning = datetime.now().astimezone().replace(hour=4, minute=59)
        settings = replace(stage.settings(), standins="http://127.0.0.1:9/")
        self.assertEqual(pull_due(store, settings, morning), [])
        done = pull_due(store, settings, morning.replace(hour=23, minute=59))
        self.assertIn("No rostering service answers", done[0][1])
        with store.reading() as session:
            source = all_sources(session)[0]
        self.assertTrue(source.last_failed and "No rostering service answers" in source.last_outcome)
        Clock(store, settings).tick(morning)
        with self.assertRaises(BodkinError):
            pull(store, settings, source)

    def test_when_a_source_is_due(self):
        """Once a day from its hour on, not before and not twice."""
        now = datetime(2027, 2, 12, 6, 30, tzinfo=UTC)
        source = Source(1, "S", "http://x", "a", "b", 5, None, None, None)
        self.assertTrue(source.due(now))
        self.assertFalse(replace(source, at_hour=None).due(now))
        self.assertFalse(replace(source, at_hour=7).due(now))
        self.assertFalse(replace(source, last_at=datetime(2027, 2, 12, 5, 1)).due(now))
        self.assertTrue(replace(source, last_at=datetime(2027, 2, 11, 23, 0)).due(now))


BATCHES = extent(2, 5)
"""Classes of 400 that sit a test."""


class AdaptiveTest(unittest.TestCase):
    def test_it_recovers_what_simulated_students_can_do(self):
        """The score with 1.96 of its own standard errors to either side holds the truth for 93 to 97 of 100."""
        rng = np.random.default_rng(20270213)
        # The bank and the rules are the same for every subject.
        for scale in SCALES[:1]:
            inside, errors = [], []
            for batch in range(BATCHES):
                grade = str(batch + 3)
                truth = rng.normal(middle(scale, grade, "winter"), 36.0, 400)
                sitters = [TestTaker(student_id=str(at), grade=grade) for at in range(400)]
                asked = ClassSitting(subject=scale.subject, season="winter", students=sitters, seed=batch)
                sat = run_class(asked, scale, truth)
                score, error = (np.array([getattr(one, name) for one in sat]) for name in ("score", "standard_error"))
                inside += list(np.abs(score - truth) <= 1.96 * error)
                errors += list(score - truth)
                self.assertTrue(all(20 <= one.items_tried <= 46 for one in sat))
            self.assertEqual(len(inside), 400 * BATCHES)
            self.assertTrue(0.93 <= np.mean(inside) <= 0.97, np.mean(inside))
            self.assertLess(abs(np.mean(errors)), 1.0)

    def test_its_range_holds_at_the_ends_of_the_scale_too(self):
        """Two and a half logits from the middle either way: not drawn to the mean, and 95 of 100 held."""
        scale, rng = SCALES[0], np.random.default_rng(20270214)
        for side in (-2.5, 2.5):
            inside, errors = [], []
            for seed in range(extent(1, 2)):
                truth = np.full(400, middle(scale, "4", "winter") + side * 36.0) + rng.normal(0, 0.5, 400)
                sitters = [TestTaker(student_id=str(at), grade="4") for at in range(400)]
                asked = ClassSitting(subject=scale.subject, season="winter", students=sitters, seed=seed + 7)
                sat = run_class(asked, scale, truth)
                score, error = (np.array([getattr(one, name) for one in sat]) for name in ("score", "standard_error"))
                inside += list(np.abs(score - truth) <= 1.96 * error)
                errors += list(score - truth)
            with self.subTest(side):
                self.assertTrue(0.925 <= np.mean(inside) <= 0.975, np.mean(inside))
                self.assertLess(abs(np.mean(errors)), 1.5)

    def test_students_finish_one_after_another(self):
        """Results arrive in the order of finishing, with time used."""
        now = [0.0]
        from fastapi import FastAPI

        app = FastAPI()
        app.include_router(adaptive_test(lambda: now[0]))
        client = TestClient(app)
        students = [{"student_id": str(at), "grade": "4", "last_score": 500 + at} for at in range(24)]
        asked = {"subject": "reading", "season": "spring", "students": students}
        key = client.post("/adaptive/sittings", json=asked).json()["id"]
        counts = []
        for seconds in (0.0, 5.0, 12.0, LASTS + 1):
            now[0] = seconds
            answer = client.get(f"/adaptive/sittings/{key}").json()
            counts.append(len(answer["done"]))
        self.assertEqual((counts[0], counts[-1], answer["finished"]), (0, 24, True))
        self.assertTrue(counts[0] < counts[1] < counts[2] <= counts[3])
        minutes = [one["minutes"] for one in answer["done"]]
        self.assertEqual(minutes, sorted(minutes))
        self.assertEqual({len(one["strands"]) for one in answer["done"]}, {5})
        self.assertEqual(client.get("/adaptive/sittings/99").status_code, 404)
        self.assertEqual(client.post("/adaptive/sittings", json=asked | {"subject": "art"}).status_code, 404)


class BesideTheDemo(unittest.TestCase):
    """Both services in a process of their own, Bodkin before them, a coach at the screen's end."""

    @classmethod
    def setUpClass(cls):
        cls.folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(cls.folder.cleanup)
        port = next(one for one in range(18_751, 18_900) if port_free(one))
        address = f"http://127.0.0.1:{port}/"
        roster = Path(cls.folder.name) / "roster.zip"
        cls.store = stage.small_copy()
        cls.addClassCleanup(forget_sources, cls.store)
        base = stage.settings()
        prepare_stand_ins(cls.store, roster, address, base.vault)
        with unittest.mock.patch.dict(os.environ, BODKIN_SITTING_SECONDS="4"):
            process = serving.stand_ins(roster, port)
        cls.addClassCleanup(serving.end, process)
        deadline = time.monotonic() + 30
        while port_free(port) and time.monotonic() < deadline:
            time.sleep(0.1)
        settings = replace(base, standins=address)
        cls.client = TestClient(build_bodkin(settings, cls.store))
        answer = {"login": "coach", "password": "tideline-demo"}
        assert cls.client.post("/api/sign-in", json=answer).status_code == 204

    def test_a_class_sits_its_test_and_the_results_come_in(self):
        """From the choice of a class to its scores in the tables."""
        choices = self.client.get("/api/sittings/choices").json()
        self.assertEqual((choices["there"], choices["windows"][0]), (True, "2026-27 spring"))
        room = next(one for one in choices["classes"] if one["name"] == "4 Curlew")
        answer = {"section_id": room["id"], "subject": "reading", "window": "2026-27 spring"}
        going = self.client.post("/api/sittings", json=answer).json()
        # On a busy machine the first may have finished by now; not all of them.
        self.assertEqual((len(going["students"]), going["finished"]), (room["n"], False))
        self.assertLess(going["done"], room["n"])
        path = f"/api/sittings/{going['id']}"
        self.assertEqual(self.client.post(f"{path}/bring-in").status_code, 409)
        deadline = time.monotonic() + LASTS + 20
        while not going["finished"] and time.monotonic() < deadline:
            time.sleep(0.5)
            going = self.client.get(path).json()
        self.assertEqual(going["done"], room["n"])
        done = self.client.post(f"{path}/bring-in").json()
        self.assertEqual([one["counts"]["new"] for one in done], [room["n"], 5 * room["n"]])
        with self.store.reading() as session:
            last = select(Result.id).order_by(Result.id.desc()).limit(room["n"]).subquery()
            strands = session.scalar(select(func.count()).where(StrandResult.result_id.in_(select(last.c.id))))
        self.assertEqual(strands, 5 * room["n"])
        scope = {"assessment": "Saltgauge", "subject": "reading", "from_window": "2026-27 winter",
                 "to_window": "2026-27 spring", "section": "4 Curlew"}  # fmt: skip
        self.assertGreater(self.client.get("/api/compare", params=scope).json()["matched_n"], room["n"] * 0.8)
        self.assertEqual(self.client.get(path).status_code, 404)
        for one in reversed(done):
            self.assertEqual(self.client.post(f"/api/imports/{one['id']}/undo").status_code, 204)

    def test_what_cannot_be_sat_is_refused(self):
        """An unknown class, subject or window, and a test that is still going on."""
        for wrong, status in (
            ({"section_id": 9999}, 404),
            ({"subject": "art"}, 422),
            ({"window": "2030-31 fall"}, 422),
        ):
            answer = {"section_id": 1, "subject": "reading", "window": "2026-27 spring"} | wrong
            self.assertEqual(self.client.post("/api/sittings", json=answer).status_code, status)

    def test_the_roster_is_fetched_looked_at_and_brought_in(self):
        """By the screen's own calls, beside the running stand-in."""
        source = self.client.get("/api/sources").json()[0]
        self.assertNotIn("client_secret", source)
        answer = self.client.post(f"/api/sources/{source['id']}/fetch").json()["files"][0]
        self.assertEqual((answer["kind"], answer["adds"]["students"]), ("oneroster", 3))
        done = self.client.post("/api/imports/bring-in", json={"drafts": [answer["draft"]]}).json()[0]
        with self.store.reading() as session:
            room = select(Section.id).where(Section.name == "4 Avocet", Section.school_year_id == 3).scalar_subquery()
            moved = session.scalar(
                select(func.count()).where(Enrolment.section_id == room, Enrolment.import_id == done["id"])
            )
        self.assertEqual(moved, 2)
        self.assertEqual(self.client.post(f"/api/imports/{done['id']}/undo").status_code, 204)
        path = f"/api/sources/{source['id']}/schedule"
        self.assertEqual(self.client.post(path, json={"at_hour": 5}).status_code, 204)
        self.assertEqual(self.client.post(path, json={"at_hour": 25}).status_code, 422)
        self.assertEqual(self.client.get("/api/sources").json()[0]["at_hour"], 5)

    def test_services_are_added_and_forgotten(self):
        """A name twice is a conflict; a deleted one is gone."""
        new = {"name": "Other", "address": "http://127.0.0.1:9/", "client_id": "a", "client_secret": "b"}
        self.assertEqual(self.client.post("/api/sources", json=new).status_code, 201)
        self.assertEqual(self.client.post("/api/sources", json=new).status_code, 409)
        self.assertEqual(self.client.post("/api/sources", json=new | {"address": "file:///etc"}).status_code, 422)
        key = next(one["id"] for one in self.client.get("/api/sources").json() if one["name"] == "Other")
        answer = self.client.post(f"/api/sources/{key}/fetch")
        self.assertEqual((answer.status_code, "No rostering service answers" in answer.json()["message"]), (502, True))
        found = next(one for one in self.client.get("/api/sources").json() if one["id"] == key)
        self.assertTrue(found["last_failed"])
        self.assertEqual(self.client.delete(f"/api/sources/{key}").status_code, 204)
        self.assertEqual(self.client.delete(f"/api/sources/{key}").status_code, 404)
