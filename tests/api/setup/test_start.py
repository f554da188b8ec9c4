"""The first day, the demo's samples, the watched folder and corrections over the interface."""

import csv
import io
import json
import os
import tempfile
import threading
import time
import unittest
from dataclasses import replace
from datetime import date
from pathlib import Path
from unittest import mock

from bodkin.api.app import build
from bodkin.api.setup import apart
from bodkin.api.setup.drafts import Draft, DraftChanges
from bodkin.core.errors import NotFound
from bodkin.demo.district import PASSWORD
from bodkin.demo.samples import WORDS, write_people, write_samples
from bodkin.exchange.imports.kinds import KINDS
from bodkin.exchange.services import watched
from bodkin.store.tables import Person
from tests.api.client import TestClient
from tests.support import files, stage
from tests.support.answers import AS_IT_IS

HEAD = "student_id,assessment,subject,window,grade,score\n"


def client_of(application, login, password=PASSWORD):
    client = TestClient(application)
    assert client.post("/api/sign-in", json={"login": login, "password": password}).status_code == 204
    return client


class OfTheDemo(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.settings = replace(stage.settings(), folder=Path(holder.name))
        store = stage.demo_copy()
        with store.reading() as session:
            write_samples(session, cls.settings.samples, b"PK\x05\x06" + b"\0" * 18)
        write_people(cls.settings.demo_file)
        application = build(cls.settings, store)
        cls.nobody = TestClient(application)
        cls.coach, cls.lead, cls.teacher = (client_of(application, one) for one in ("coach", "lead", "teacher"))

    def sample(self, name):
        return self.coach.post(f"/api/setup/samples/{name}")

    def changed(self, draft, changes):
        return self.coach.post(f"/api/imports/{draft}/changes", json=changes).json()["files"][0]

    def test_the_people_of_the_demo_are_one_click_away(self):
        """Without signing in, and each of them can."""
        demo = self.nobody.get("/api/demo").json()
        self.assertEqual(len(demo["people"]), 5)
        for one in demo["people"]:
            body = {"login": one["login"], "password": demo["password"]}
            self.assertEqual(TestClient(self.nobody.app).post("/api/sign-in", json=body).status_code, 204)

    def test_three_shapes_of_the_coming_window(self):
        """As it is, with other headers to confirm, and from a workbook with a cover sheet; nothing is refused."""
        self.assertEqual([one["name"] for one in self.coach.get("/api/setup/samples").json()], list(WORDS))
        own, other, book = (self.sample(name).json()["files"][0] for name in list(WORDS)[:3])
        for one in (own, other, book):
            self.assertEqual((one["kind"], one["refused"], one["open_questions"]), ("scores", 0, 0))
            self.assertGreater(one["counts"]["new"], 100)
        self.assertEqual([one["mapping"]["to_confirm"] for one in (own, other, book)], [False, True, True])
        self.assertEqual((book["mapping"]["sheet"], book["mapping"]["sheets"]), ("Results", ["About", "Results"]))
        self.assertEqual(other["mapping"]["day_format"], "%m/%d/%Y")
        self.assertTrue(all(one["read"] for one in other["mapping"]["day_samples"]["%m/%d/%Y"]))
        cover = self.changed(book["draft"], {"sheet": "Results", "confirmed": True})
        self.assertEqual(cover["counts"]["new"], book["counts"]["new"])

    def test_ten_faults_are_refused_or_asked_about(self):
        """Four with their place, six as questions; answered, the rest comes in, and undo takes it back."""
        seen = self.sample("ten faults.csv").json()["files"][0]
        self.assertEqual((seen["refused"], seen["open_questions"]), (4, 6))
        self.assertEqual(self.coach.post("/api/imports/bring-in", json={"drafts": [seen["draft"]]}).status_code, 409)
        answers = {
            question["kind"]: (question["items"][0]["choices"][0]["answer"]) for question in seen["questions"]
        } | {"renamed": "keep", "beyond_range": "leave", "window_and_date": "leave"}
        said = self.changed(seen["draft"], {"answers": answers})
        self.assertEqual((said["open_questions"], said["adds"]), (0, {}))
        rehearsed = self.coach.post("/api/imports/rehearse", json={"drafts": [seen["draft"]]}).json()["measures"]
        self.assertEqual(
            [(one["latest"], one["new"]) for one in rehearsed], [("2026-27 spring", said["counts"]["new"])]
        )
        done = self.coach.post("/api/imports/bring-in", json={"drafts": [seen["draft"]]}).json()[0]
        self.assertEqual(done["counts"]["new"], said["counts"]["new"])
        self.assertEqual(self.coach.get(f"/api/imports/{done['id']}/undo").json(), {"acts": [], "refused": []})
        self.assertEqual(self.coach.post(f"/api/imports/{done['id']}/undo").status_code, 204)

    def test_samples_that_are_not_there(self):
        """Neither is a path."""
        for name in ("none.csv", "index.json", "..%2Fdemo.json"):
            self.assertIn(self.sample(name).status_code, (404, 405), name)

    def test_a_correction_and_what_stands_on_an_import(self):
        """A coach corrects a score; the import of that result names the correction, and takes it back on a word."""
        text = HEAD + "SR10003,Quay Check,reading,2026-27 winter,4,512\n"
        file = {"file": ("quay.csv", text.encode(), "text/csv")}
        seen = self.coach.post("/api/imports/preview", files=file).json()["files"][0]
        self.changed(seen["draft"], {"answers": {"new_test": "new", "other_grade": "keep"}})
        done = self.coach.post("/api/imports/bring-in", json={"drafts": [seen["draft"]]}).json()[0]
        # Somebody opens the student, which must not hold the import.
        self.coach.get("/api/students/SR10003")
        results = self.coach.get("/api/students/SR10003/results").json()
        mine = next(one for one in results if one["assessment"] == "Quay Check")
        path = f"/api/students/results/{mine['id']}/corrections"
        self.assertEqual(self.coach.post(path, json={"column": "score", "value": "5l2", "why": "x"}).status_code, 422)
        self.assertEqual(self.coach.post(path, json={"column": "score", "value": "521", "why": ""}).status_code, 422)
        self.assertEqual(self.teacher.post(path, json={"column": "score", "value": "521", "why": "x"}).status_code, 403)
        made = self.coach.post(path, json={"column": "score", "value": "521", "why": "digits turned"}).json()
        self.assertIn("to 521: digits turned", made["said"])
        results = self.coach.get("/api/students/SR10003/results").json()
        (mark,) = next(one for one in results if one["id"] == mine["id"])["corrections"]
        self.assertEqual((mark["before"], mark["after"], mark["by"]), ("512", "521", "Maren Tolliver"))
        found = self.coach.get(f"/api/imports/{done['id']}/undo").json()
        self.assertEqual([one["id"] for one in found["acts"]], [made["id"]])
        refused = self.coach.post(f"/api/imports/{done['id']}/undo")
        self.assertEqual(refused.status_code, 409)
        self.assertIn("digits turned", refused.json()["message"])
        undone = self.coach.post(f"/api/imports/{done['id']}/undo", params={"together": [made["id"]]})
        self.assertEqual(undone.status_code, 204)

    def test_a_lead_corrects_within_reach_only(self):
        """A student of another school does not exist."""
        mine = self.lead.get("/api/students", params={"q": "a"}).json()[0]["student_id"]
        self.assertEqual(self.lead.get(f"/api/students/{mine}/results").status_code, 200)
        everyone = self.coach.get("/api/students", params={"q": "a"}).json()
        theirs = next(
            one["student_id"]
            for one in everyone
            if self.lead.get(f"/api/students/{one['student_id']}").status_code == 404
        )
        key = self.coach.get(f"/api/students/{theirs}/results").json()[0]["id"]
        body = {"column": "score", "value": "1", "why": "x"}
        unknown = self.lead.post("/api/students/results/99999999/corrections", json=body)
        self.assertEqual(self.lead.post(f"/api/students/results/{key}/corrections", json=body).content, unknown.content)
        self.assertEqual(self.lead.get(f"/api/students/{theirs}/results").status_code, 404)


class OfAnEmptyBodkin(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        holder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(holder.cleanup)
        cls.settings = replace(stage.settings(), folder=Path(holder.name))
        cls.store, _ = stage.fresh(date(2026, 10, 1))
        with cls.store.writing(scores=False) as session:
            session.add(Person(name="One", role="coach", login="one", password_hash=stage.password()))
        cls.application = build(cls.settings, cls.store)
        cls.one = client_of(cls.application, "one")

    def look(self, text, name="f.csv"):
        answer = self.one.post("/api/imports/preview", files={"file": (name, text.encode(), "text/csv")})
        return answer.json()["files"][0]

    def test_no_demo_here(self):
        """Neither people nor samples."""
        self.assertIsNone(self.one.get("/api/demo").json())
        self.assertEqual(self.one.get("/api/setup/samples").json(), [])

    def test_the_first_day_and_a_template_of_every_kind(self):
        """Nothing is done; every template is recognised as its kind once a row is filled in."""
        first = self.one.get("/api/setup/first-day").json()
        self.assertFalse(first["done"])
        for kind in KINDS:
            text = self.one.get(f"/api/setup/templates/{kind}.csv").content.decode("utf-8-sig")
            columns = self.one.get(f"/api/setup/templates/{kind}").json()
            self.assertEqual(next(csv.reader(io.StringIO(text))), [column["name"] for column in columns])
            self.assertTrue(all(column["advice"] for column in columns))
            required = [column["required"] for column in columns]
            self.assertEqual(required, sorted(required, reverse=True))
            self.assertEqual(self.look(text + "," * (len(columns) - 1) + "\n")["kind"], kind)
        self.assertEqual(self.one.get("/api/setup/templates/songs.csv").status_code, 404)
        self.assertEqual(self.one.get("/api/setup/templates/scores.xlsx").content[:2], b"PK")

    def test_a_file_of_the_watched_folder_is_taken_on(self):
        """It waits with its reason, is looked at like any file, and is gone from what waits."""
        folder = self.settings.incoming
        folder.mkdir(exist_ok=True)
        path = folder / "guess.csv"
        path.write_text("Student Number,Test,Subject,Term,Grade Level,Scale Score\nS2,Tide,reading,Fall 2026,3,510\n")
        os.utime(path, (time.time() - 90, time.time() - 90))
        watched.take(self.store, self.settings)
        answer = self.one.get("/api/watched").json()
        self.assertEqual([one["name"] for one in answer["waiting"]], ["guess.csv"])
        self.assertEqual(self.one.put("/api/watched/hour", json={"at_hour": 4}).status_code, 204)
        self.assertEqual(self.one.get("/api/watched").json()["at_hour"], 4)
        seen = self.one.post("/api/watched/guess.csv").json()["files"][0]
        self.assertTrue(seen["mapping"]["to_confirm"])
        self.assertEqual(self.one.get("/api/watched").json()["waiting"], [])
        self.assertEqual(self.one.post("/api/watched/guess.csv").status_code, 404)
        self.assertIn(self.one.delete("/api/watched/..%2Fguess.csv").status_code, (404, 405))

    def test_three_clicks_at_once_bring_a_file_in_once(self):
        """One brings it in; the others hear that it is no longer waiting, or that nothing was to do."""
        draft = self.look(HEAD + "".join(f"T{at},Tide,reading,2026-27 fall,3,{400 + at}\n" for at in range(300)))[
            "draft"
        ]
        self.one.post(f"/api/imports/{draft}/changes", json={"answers": AS_IT_IS})
        cookies = self.one.cookies
        found = []

        def click():
            client = TestClient(self.application, raise_server_exceptions=False, cookies=cookies)
            found.append(client.post("/api/imports/bring-in", json={"drafts": [draft]}))

        clicks = [threading.Thread(target=click) for _ in range(3)]
        for one in clicks:
            one.start()
        for one in clicks:
            one.join()
        self.assertLessEqual({one.status_code for one in found}, {200, 404})
        brought = [one.json()[0]["id"] for one in found if one.status_code == 200]
        self.assertEqual(len([key for key in brought if key]), 1)

    def test_a_file_given_up_between_two_looks(self):
        """What another click has brought in meanwhile is no longer waiting, and no fault of the server."""
        gone = Draft("0" * 32, Path(tempfile.gettempdir()) / f"1-{'0' * 32}-x.csv", "x.csv")
        with mock.patch.object(Path, "exists", return_value=True):
            self.assertEqual((gone.size, gone.said()), (0, DraftChanges()))
            with self.assertRaisesRegex(NotFound, "no longer waiting"):
                gone.content()

    def test_a_large_file_is_looked_at_and_brought_in_by_another_process(self):
        """The same answers as here; its errors are errors here."""
        text = files.scores(11, 60)
        here = self.look(text)
        before, apart.LARGE = apart.LARGE, 0
        try:
            there = self.look(text)
            names = ("kind", "rows", "counts", "adds", "faults", "questions", "mapping", "notices")
            self.assertEqual({name: there[name] for name in names}, {name: here[name] for name in names})
            bad = self.one.post("/api/imports/preview", files={"file": ("x.csv", b"a,b\n1,2\n", "text/csv")})
            self.assertEqual((bad.status_code, bad.json()["code"]), (422, "bad_file"))
            self.assertIn("cannot tell what kind of file", bad.json()["message"])
            refused = self.one.post("/api/imports/bring-in", json={"drafts": [there["draft"]]})
            if there["open_questions"]:
                self.assertEqual(refused.status_code, 409)
                answers = {question["kind"]: question["choices"][0]["answer"] for question in there["questions"]}
                self.one.post(f"/api/imports/{there['draft']}/changes", json={"answers": answers})
                refused = self.one.post("/api/imports/bring-in", json={"drafts": [there["draft"]]})
            self.assertGreater(refused.json()[0]["counts"]["new"], 100)
        finally:
            apart.LARGE = before

    def test_a_body_that_is_no_upload_says_so(self):
        """Broken parts are a bad request, not an unknown address."""
        for content, kind in ((b"--x\r\nbroken", "multipart/form-data; boundary=x"), (b"x", "multipart/form-data")):
            answer = self.one.post("/api/imports/preview", content=content, headers={"content-type": kind})
            self.assertIn(answer.status_code, (400, 422), json.dumps(answer.json()))
            self.assertEqual(answer.json()["code"], "bad_input")
