"""Pages over the demo: the figures of the screens in both languages, nobody else's page, rights, log, stop, sets."""

import io
import json
import random
import re
import tempfile
import threading
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from tests.api.application import SCOPE, application, signed_in
from tests.support import stage
from tests.support.extent import extent
from tests.support.pdf import page_texts

SUBJECTS = ["reading", "mathematics"]
CLASS = {**SCOPE, "section": "4 Curlew", "page_subject": SUBJECTS}


def text_of(content):
    said = " ".join(page_texts(content))
    return " ".join(said.replace("-\n", "-").split())


def made(login="coach", form="zip", **query):
    """The lines of a making, and its file."""
    client = signed_in(login)
    answer = client.post("/api/share/files", params={**CLASS, **query}, json={"form": form})
    if answer.status_code != 200:
        return answer, None
    lines = [json.loads(line) for line in answer.text.splitlines()]
    content = client.get(f"/api/share/files/{lines[-1]['key']}")
    assert content.status_code == 200, content.text
    return lines, content.content


def growth_rows(**query):
    return signed_in("coach").get("/api/growth/rows", params={**SCOPE, "count": 5000, **query}).json()["rows"]


class Figures(unittest.TestCase):
    def test_students_in_both_languages(self):
        """Scores, gain, what is usual, range, percentile, band: those of Growth and of the student's page.

        Half of them in reading, half in mathematics.
        """
        client, draw = signed_in("coach"), random.Random(11)
        drawn = [
            (subject, row)
            for subject in ("reading", "mathematics")
            for row in draw.sample(
                [row for row in growth_rows(matched="false", subject=subject) if row["to_score"]], extent(4, 25)
            )
        ]
        sentences = {
            "en": (r"{} points", "On another day it could be from {} to {}", "about {} scored lower", "in the band {}"),
            "pt": (r"{} pontos", "Noutro dia poderia ser de {} a {}", "cerca de {} tiveram", "na faixa {}"),
        }
        for at, (subject, row) in enumerate(drawn):
            student, scope = row["student_id"], {**SCOPE, "subject": subject}
            page = client.get(f"/api/students/{student}/page", params=scope).json()
            point = next(
                one for thread in page["threads"] for one in thread["points"]
                if thread["subject"] == subject and thread["assessment"] == "Saltgauge"
                and one["score"] == row["to_score"] and one["on"] == row["to_tested_on"]
            )  # fmt: skip
            for language, (gained, span, rank, band) in sentences.items():
                asked = {**scope, "page_language": language, "audience": ("family", "plan")[at % 2]}
                answer = client.get(f"/api/share/pages/{student}", params=asked)
                self.assertEqual(answer.status_code, 200, answer.text[:300])
                said = text_of(answer.content)
                with self.subTest(student=student, subject=subject, language=language):
                    if row["gain"] is not None and round(row["to_score"]) != round(row["from_score"]):
                        change = abs(round(row["to_score"]) - round(row["from_score"]))
                        self.assertIn(gained.format(change), said)
                        self.assertIn(f"{abs(row['expected_gain']):.0f}", said)
                    self.assertIn(span.format(f"{point['low']:.0f}", f"{point['high']:.0f}"), said)
                    self.assertIn(rank.format(f"{point['percentile']:.0f}"), said)
                    self.assertIn(band.format(point["band"]), said)

    def test_help_goals_and_skills_equal_their_steps(self):
        """Sessions as Follow-up counts them, goals as they are kept, standards as Needs says them."""
        group = signed_in("coach").get("/api/follow-up/groups/3").json()
        client = signed_in("coach")
        for one in group["students"][:5]:
            student = one["student_id"]
            asked = {**SCOPE, "audience": "plan", "page_subject": SUBJECTS, "matched": "false"}
            said = text_of(client.get(f"/api/share/pages/{student}", params=asked).content)
            self.assertIn(f"{one['given']['attended']} of {one['given']['held']} sessions", said)
            self.assertIn("Osier word workshop", said)
            needs = client.get("/api/needs/standards/student", params={**SCOPE, "matched": "false", "of": student})
            for held in needs.json()["held"][:6]:
                self.assertIn(" ".join(held["text"].split()), said)


class OneFileEach(unittest.TestCase):
    def test_a_class_in_one_go(self):
        """Each student's own file; no other student's name or id stands in any of them."""
        lines, content = made()
        last = lines[-1]
        self.assertEqual((last["done"], last["all"], last["fault"]), (last["all"], last["all"], None))
        names = application().state.runtime
        with stage.demo().reading() as session:
            known = names.names(session)
        with zipfile.ZipFile(io.BytesIO(content)) as packed:
            files = packed.namelist()
            texts = {one: text_of(packed.read(one)) for one in files}
        self.assertEqual(len(files), last["all"])
        self.assertGreater(len(files), 20)
        self.assertEqual(files, sorted(files, key=str.casefold))
        owners = {one.rpartition("_")[2].removesuffix(".pdf"): one for one in files}
        for student, file in owners.items():
            family, given = known[student]
            own, said = f"{given} {family}", texts[file]
            self.assertTrue(said.startswith(own), said[:60])
            for other in owners.keys() - {student}:
                self.assertNotIn(other, said)
                name = " ".join(reversed(known[other]))
                if name != own:
                    self.assertNotIn(name, said)

    def test_one_file_for_the_printer(self):
        """Everybody in one file, in the order of names, each beginning on a right-hand page."""
        lines, content = made(form="printer")
        pages = page_texts(content)
        begins = [number for number, page in enumerate(pages, start=1) if "Page 1 of" in page]
        self.assertEqual(len(begins), lines[-1]["all"])
        self.assertTrue(all(number % 2 for number in begins))

    def test_who_has_nothing_to_print_is_named_with_the_reason(self):
        """Who has a result in none of the subjects; in the preview as in the file."""
        client = signed_in("coach")
        one = client.get("/api/share/preview", params=SCOPE).json()["without"][0]["student_id"]
        section = client.get(f"/api/students/{one}").json()["section"]
        for subjects in (["reading"], ["mathematics"], SUBJECTS):
            lines, content = made(section=section, page_subject=subjects)
            without = {each["student_id"]: each["why"] for each in lines[-1]["without"]}
            files = zipfile.ZipFile(io.BytesIO(content)).namelist()
            printed = [file.rpartition("_")[2].removesuffix(".pdf") for file in files]
            with self.subTest(subjects=subjects):
                # This one sat mathematics alone.
                self.assertEqual((one in without, one in printed), (subjects == ["reading"], subjects != ["reading"]))
                self.assertTrue(all(why.startswith("no result in") for why in without.values()))
                self.assertFalse(set(without) & set(printed))
                asked = {**CLASS, "section": section, "page_subject": subjects}
                shown = client.get("/api/share/preview", params=asked).json()
                self.assertEqual([each["student_id"] for each in shown["students"]], printed)
                self.assertEqual({each["student_id"]: each["why"] for each in shown["without"]}, without)

    def test_an_empty_scope(self):
        """Nobody: the preview says so, and the file is an empty zip."""
        nobody = {**CLASS, "section": "no such class"}
        shown = signed_in("coach").get("/api/share/preview", params=nobody).json()
        self.assertEqual((shown["students"], shown["student_id"], shown["pages"]), ([], None, []))
        lines, content = made(section="no such class")
        self.assertEqual((lines[-1]["all"], zipfile.ZipFile(io.BytesIO(content)).namelist()), (0, []))

    def test_the_preview_is_the_page_that_prints(self):
        """As many pages as the PDF has; the sections begin where they do; empty ones are named."""
        client = signed_in("coach")
        asked = {**CLASS, "audience": "plan"}
        shown = client.get("/api/share/preview", params=asked).json()
        pdf = client.get(f"/api/share/pages/{shown['student_id']}", params=asked)
        self.assertEqual(len(shown["pages"]), len(page_texts(pdf.content)))
        self.assertTrue(all(one.startswith("data:image/png;base64,") for one in shown["pages"]))
        self.assertIn(shown["file"].split("_")[0], pdf.headers["content-disposition"])
        there = {one["section"] for one in shown["sections"]}
        self.assertFalse(there & set(shown["empty"]))


class Stopped(unittest.TestCase):
    def test_hanging_up_leaves_no_file(self):
        """The work ends with the connection; neither the file nor a half of it is left, and nothing is logged."""
        from bodkin.api.steps.share import pages

        client, before = signed_in("coach"), self.logged()
        folder = Path(tempfile.mkdtemp(prefix="bodkin-pages-"))
        self.addCleanup(folder.rmdir)
        patch = mock.patch.object(pages, "_folder", lambda _settings: folder)
        patch.start()
        self.addCleanup(patch.stop)
        seen, real = threading.Event(), pages._Making._told

        def slowly(making, done):
            seen.set()
            making.over.set()
            real(making, done)

        pages._Making._told = slowly
        try:
            answer = client.post("/api/share/files", params=CLASS, json={"form": "zip"})
        finally:
            pages._Making._told = real
        last = json.loads(answer.text.splitlines()[-1])
        self.assertTrue(seen.is_set())
        self.assertEqual((last["key"], last["fault"]), (None, "stopped"))
        self.assertEqual(list(folder.iterdir()), [])
        self.assertEqual(self.logged(), before)

    def logged(self):
        with stage.demo().reading() as session:
            return session.connection().exec_driver_sql("SELECT COUNT(*) FROM page_log").scalar()


class Rights(unittest.TestCase):
    def test_outside_reach_and_aides(self):
        """A teacher gets for another's student the answer of an unknown id; an aide makes no pages."""
        mine = {row["student_id"] for row in signed_in("teacher").get(
            "/api/growth/rows", params={**SCOPE, "count": 500}).json()["rows"]}  # fmt: skip
        outside = next(row["student_id"] for row in growth_rows() if row["student_id"] not in mine)
        client = signed_in("teacher")
        for asked in (
            lambda one: client.get(f"/api/share/pages/{one}", params=SCOPE),
            lambda one: client.get("/api/share/preview", params={**SCOPE, "of": one}),
        ):
            hidden, unknown = asked(outside), asked("nobody")
            self.assertEqual((hidden.status_code, hidden.content), (404, unknown.content))
        self.assertEqual(signed_in("aide").get("/api/share/preview", params=SCOPE).status_code, 403)
        lines, content = made("teacher", section=[])
        owners = {re.search(r"_([^_]+)\.pdf$", one)[1] for one in zipfile.ZipFile(io.BytesIO(content)).namelist()}
        self.assertEqual(len(owners), lines[-1]["all"])
        for student in owners:
            self.assertEqual(client.get(f"/api/students/{student}").status_code, 200)

    def test_a_file_is_its_maker_s_alone(self):
        """Another person, an odd key: as if there were none."""
        lines, _ = made()
        key = lines[-1]["key"]
        self.assertEqual(signed_in("lead").get(f"/api/share/files/{key}").status_code, 404)
        self.assertEqual(signed_in("coach").get("/api/share/files/AAAAAAAAAAAAAAAA").status_code, 404)
        self.assertIn(signed_in("coach").get("/api/share/files/..%2F..%2Fsecret").status_code, (404, 422))

    def test_internal_notes_are_on_the_team_s_pages_only(self):
        """Every internal note of the demo: on no page for family, student or plan meeting; on the coach's team page."""
        with stage.demo().reading() as session:
            ask = session.connection().exec_driver_sql
            notes = ask(
                "SELECT s.student_id, n.text FROM note n JOIN student s ON s.id = n.student_id "
                "WHERE n.audience = 'internal' AND n.withdrawn_on IS NULL LIMIT 6"
            ).all()
        client, checked = signed_in("coach"), 0
        for student, note in notes:
            for audience in ("family", "student", "plan", "team"):
                answer = client.get(f"/api/share/pages/{student}", params={**SCOPE, "audience": audience})
                if answer.status_code != 200:
                    continue
                words = " ".join(note.split())[:40]
                self.assertEqual(words in text_of(answer.content), audience == "team", (student, audience))
                checked += 1
        self.assertGreater(checked, 4)

    def test_what_is_asked_wrong(self):
        """A language, a section, a subject there is none of, a section of the team's: the field is named."""
        client = signed_in("coach")
        for more, words in (
            ({"page_language": "xx"}, "page_language"), ({"page_section": "poem"}, "page_section"),
            ({"page_subject": "dance"}, "page_subject"), ({"page_section": "internal"}, "for the team only"),
            ({"audience": "press"}, "audience"), ({"page_years": 40}, "page_years"),
        ):  # fmt: skip
            answer = client.get("/api/share/preview", params={**SCOPE, **more})
            self.assertEqual(answer.status_code, 422, answer.text)
            self.assertIn(words, answer.text)


class Log(unittest.TestCase):
    def test_what_went_to_whom(self):
        """Each page with its digest; marked as handed over by its maker; others' lines are the coach's to see."""
        lines, content = made("teacher", section=[], page_subject=["reading"], page_language="pt")
        packed = zipfile.ZipFile(io.BytesIO(content))
        log = signed_in("teacher").get("/api/share/log").json()
        self.assertEqual(len([one for one in log if one["at"] == log[0]["at"]]), lines[-1]["all"])
        import hashlib

        digests = {hashlib.sha256(packed.read(one)).hexdigest() for one in packed.namelist()}
        self.assertEqual({one["sha256"] for one in log[: len(digests)]}, digests)
        self.assertEqual((log[0]["audience"], log[0]["language"], log[0]["form"]), ("family", "pt", "zip"))
        key = log[0]["id"]
        done = signed_in("teacher").post(f"/api/share/log/{key}/handed", json={"to": "mother"})
        self.assertEqual(done.json()["handed"][0]["to"], "mother")
        self.assertIn(key, [one["id"] for one in signed_in("coach").get("/api/share/log").json()])
        self.assertNotIn(key, [one["id"] for one in signed_in("specialist").get("/api/share/log").json()])
        hidden, unknown = (
            signed_in("specialist").post(f"/api/share/log/{one}/handed", json={"to": "x"}) for one in (key, 999_999)
        )
        self.assertEqual((hidden.status_code, hidden.content), (404, unknown.content))

    def test_sets_of_sections(self):
        """Kept by name for the district, given up, undone; a teacher uses them and keeps none."""
        client, body = signed_in("coach"), {"name": "Short", "audience": "family", "sections": ["growth", "contact"]}
        done = client.post("/api/share/sets", json=body)
        self.assertEqual(done.status_code, 201, done.text)
        again = client.post("/api/share/sets", json=body)
        self.assertEqual(again.status_code, 409)
        sets = signed_in("teacher").get("/api/share/choices", params=SCOPE).json()["sets"]
        self.assertIn(("Short", ["growth", "contact"]), [(one["name"], one["sections"]) for one in sets])
        key = next(one["id"] for one in sets if one["name"] == "Short")
        self.assertEqual(signed_in("teacher").post("/api/share/sets", json=body).status_code, 403)
        self.assertEqual(
            client.post("/api/share/sets", json={**body, "name": "x", "sections": ["internal"]}).status_code, 422
        )
        gone = client.delete(f"/api/share/sets/{key}").json()["id"]
        self.assertEqual(client.post(f"/api/acts/{gone}/undo").status_code, 200)
        self.assertEqual(client.post(f"/api/acts/{done.json()['id']}/undo").status_code, 200)
        left = client.get("/api/share/choices", params=SCOPE).json()["sets"]
        self.assertNotIn("Short", [one["name"] for one in left])
