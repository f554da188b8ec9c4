"""The import desk over the interface: preview changes nothing, bring in once, undo, and whose draft it is."""

import unittest

from fastapi.testclient import TestClient

from bodkin.api.app import build
from bodkin.store.tables import Person
from tests.support import files, stage


class Desk(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        store, _ = stage.fresh()
        with store.writing(scores=False) as session:
            session.add_all(
                Person(name=name, role="coach", login=name, password_hash=stage.password()) for name in ("one", "two")
            )
        application = build(stage.server().settings, store)
        cls.clients = {}
        for name in ("one", "two"):
            cls.clients[name] = TestClient(application)
            told = {"login": name, "password": "tideline-demo"}
            assert cls.clients[name].post("/api/sign-in", json=told).status_code == 204

    def preview(self, content, name="scores.csv", who="one"):
        data = content if isinstance(content, bytes) else content.encode()
        return self.clients[who].post("/api/imports/preview", files={"file": (name, data, "text/csv")})

    def state(self):
        one = self.clients["one"]
        return one.get("/api/scope/rail/without-scope").json()["data_version"], len(one.get("/api/imports").json())

    def test_from_preview_to_undo(self):
        """Nothing changes until it is brought in; then the scope is there; undo takes all away again."""
        one = self.clients["one"]
        before = self.state()
        told = self.preview(files.scores(5, 40)).json()
        self.assertEqual((told["kind"], told["refused"], told["nothing_to_do"]), ("scores", 0, False))
        self.assertEqual(told["rows"], told["counts"]["new"] + told["counts"]["without_score"])
        self.assertEqual(self.state(), before)
        done = one.post(f"/api/imports/{told['draft']}/bring-in").json()
        self.assertEqual(done["counts"], told["counts"])
        first = one.get("/api/scope/first").json()["scope"]
        self.assertEqual((first["assessment"], first["subject"]), files.MEASURE)
        self.assertGreater(one.get("/api/compare", params=first).json()["matched_n"], 10)
        self.assertEqual(one.post(f"/api/imports/{told['draft']}/bring-in").status_code, 404)
        again = self.preview(files.scores(5, 40)).json()
        self.assertTrue(again["nothing_to_do"] and again["seen_before"])
        version = self.state()[0]
        self.assertIsNone(one.post(f"/api/imports/{again['draft']}/bring-in").json()["id"])
        self.assertEqual(self.state()[0], version)
        self.assertEqual(one.post(f"/api/imports/{done['id']}/undo").status_code, 204)
        self.assertIsNone(one.get("/api/scope/first").json()["scope"])
        self.assertEqual(one.get("/api/imports").json()[0]["state"], "undone")
        self.assertEqual(one.post(f"/api/imports/{done['id']}/undo").status_code, 409)

    def test_a_draft_is_its_owner_s(self):
        """Another person's draft, and one that never was, do not exist; nor does a path."""
        draft = self.preview(files.scores(6, 5)).json()["draft"]
        two = self.clients["two"]
        theirs = two.post(f"/api/imports/{draft}/bring-in")
        unknown = two.post(f"/api/imports/{'0' * 32}/bring-in")
        self.assertEqual((theirs.status_code, theirs.content), (404, unknown.content))
        elsewhere = two.post("/api/imports/..%2Fsecret/bring-in")
        self.assertIn(elsewhere.status_code, (404, 405))
        self.assertEqual(elsewhere.json()["code"], "not_found")

    def test_refused_rows_are_listed_with_their_place(self):
        """The counts say how many, the faults which and why."""
        told = self.preview(files.scores(5, 10).replace(files.FALL, "2025-27 fall", 2)).json()
        self.assertEqual(told["refused"], 2)
        self.assertEqual({fault["column"] for fault in told["faults"]}, {"window"})

    def test_read_as_somebody_says_and_mended(self):
        """A guess waits for a word; a mended cell comes in; a refused change leaves what was said."""
        one = self.clients["one"]
        text = (
            "Student Number,Test,Subject,Term,Grade Level,Scale Score\n"
            "M0,Other Gauge,reading,Fall 2026,Grade 3,500\nM1,Other Gauge,reading,Fall 2026,Grade 4,51O\n"
        )
        told = self.preview(text).json()
        path = f"/api/imports/{told['draft']}"
        self.assertEqual((told["mapping"]["source"], told["mapping"]["to_confirm"]), ("proposed", True))
        self.assertEqual({row["title"]: row["column"] for row in told["mapping"]["headers"]}["Scale Score"], "score")
        self.assertEqual(told["refused_rows"][0]["cells"]["score"], "51O")
        self.assertEqual(one.post(f"{path}/bring-in").status_code, 409)
        refused = one.get(f"{path}/refused.csv").text
        self.assertIn("Student Number", refused.splitlines()[0])
        self.assertIn("M1,Other Gauge,reading,Fall 2026,Grade 4,51O", refused)
        said = {
            "kind": "scores",
            "told": True,
            "columns": {row["name"]: row["column"] for row in told["mapping"]["headers"]},
        }
        said["values"] = {"grade": {"Grade 3": "3", "Grade 4": "4"}, "window": {"Fall 2026": "2026-27 fall"}}
        said["edits"] = [{"line": 3, "column": "scale_score", "value": "510"}]
        self.assertEqual(one.post(f"{path}/changes", json=said | {"columns": {"term": "shoe"}}).status_code, 422)
        now = one.post(f"{path}/changes", json=said).json()
        self.assertEqual((now["refused"], now["counts"]["new"], now["mapping"]["source"]), (0, 2, "told"))
        self.assertEqual(self.clients["two"].post(f"{path}/changes", json=said).status_code, 404)
        self.assertEqual(self.clients["two"].get(f"{path}/refused.csv").status_code, 404)
        done = one.post(f"{path}/bring-in").json()
        self.assertEqual(done["counts"]["new"], 2)
        again = self.preview(text.replace("51O", "511")).json()
        self.assertEqual((again["mapping"]["source"], again["counts"]["changed"]), ("remembered", 1))
        one.post(f"/api/imports/{done['id']}/undo")

    def test_a_spreadsheet_with_formulas_in_its_text(self):
        """What would be run by a spreadsheet goes out as plain text."""
        text = "student_id,assessment,subject,window,grade,score\n=1+1,T,reading,2026-27 fall,3,x\n"
        draft = self.preview(text).json()["draft"]
        refused = self.clients["one"].get(f"/api/imports/{draft}/refused.csv").text
        self.assertIn("\r\n'=1+1,T,reading", refused)

    def test_files_that_are_none(self):
        """A picture, an empty file, a spreadsheet, a header of something else: 422 and in words."""
        for content, word in (
            (b"\x89PNG\r\n\x1a\n\xff\xfe", "UTF-8"),
            (b"", "no file that Bodkin reads|none of the files|empty"),
            (b"PK\x03\x04", "spreadsheet"),
            (b"a,b,c\n1,2,3\n", "nearest is"),
        ):
            answer = self.preview(content, "x.csv")
            with self.subTest(word=word):
                self.assertEqual(answer.status_code, 422)
                self.assertRegex(answer.json()["message"], word)

    def test_a_file_s_name_cannot_lead_anywhere(self):
        """Folders are cut off, odd letters replaced."""
        told = self.preview(files.scores(7, 3), "../../etc/pass*wd.csv").json()
        self.assertEqual(told["file"], "pass_wd.csv")
