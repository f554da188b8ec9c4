"""The import desk over the interface: preview changes nothing, bring in once, undo, and whose draft it is."""

import io
import unittest
import zipfile

from bodkin.api.app import build
from bodkin.store.tables import Person
from tests.api.client import TestClient
from tests.support import files, stage


class Runtime(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        store, _ = stage.fresh()
        with store.writing(scores=False) as session:
            session.add_all(
                Person(name=name, role="coach", login=name, password_hash=stage.password()) for name in ("one", "two")
            )
        application = build(stage.settings(), store)
        cls.clients = {}
        for name in ("one", "two"):
            cls.clients[name] = TestClient(application)
            answer = {"login": name, "password": "tideline-demo"}
            assert cls.clients[name].post("/api/sign-in", json=answer).status_code == 204

    def preview(self, content, name="scores.csv", who="one"):
        data = content if isinstance(content, bytes) else content.encode()
        return self.clients[who].post("/api/imports/preview", files={"file": (name, data, "text/csv")})

    def seen(self, content, name="scores.csv", who="one"):
        return self.preview(content, name, who).json()["files"][0]

    def bring(self, *drafts, who="one"):
        return self.clients[who].post("/api/imports/bring-in", json={"drafts": drafts})

    def state(self):
        one = self.clients["one"]
        return one.get("/api/scope/rail/without-scope").json()["data_version"], len(one.get("/api/imports").json())

    def test_from_preview_to_undo(self):
        """Nothing changes until it is brought in; then the scope is there; undo takes all away again."""
        one = self.clients["one"]
        before = self.state()
        answer = self.seen(files.scores(5, 40))
        self.assertEqual((answer["kind"], answer["refused"], answer["nothing_to_do"]), ("scores", 0, False))
        self.assertEqual(answer["rows"], answer["counts"]["new"] + answer["counts"]["without_score"])
        self.assertEqual(self.state(), before)
        done = self.bring(answer["draft"]).json()[0]
        self.assertEqual(done["counts"], answer["counts"])
        first = one.get("/api/scope/first").json()["scope"]
        self.assertEqual((first["assessment"], first["subject"]), files.MEASURE)
        self.assertGreater(one.get("/api/compare", params=first).json()["matched_n"], 10)
        self.assertEqual(self.bring(answer["draft"]).status_code, 404)
        again = self.seen(files.scores(5, 40))
        self.assertTrue(again["nothing_to_do"] and again["seen_before"])
        version = self.state()[0]
        self.assertIsNone(self.bring(again["draft"]).json()[0]["id"])
        self.assertEqual(self.state()[0], version)
        self.assertEqual(one.post(f"/api/imports/{done['id']}/undo").status_code, 204)
        self.assertIsNone(one.get("/api/scope/first").json()["scope"])
        self.assertEqual(one.get("/api/imports").json()[0]["state"], "undone")
        self.assertEqual(one.post(f"/api/imports/{done['id']}/undo").status_code, 409)

    def test_a_draft_is_its_owner_s(self):
        """Another person's draft, and one that never was, do not exist; nor does a path."""
        draft = self.seen(files.scores(6, 5))["draft"]
        two = self.clients["two"]
        theirs = self.bring(draft, who="two")
        unknown = self.bring("0" * 32, who="two")
        self.assertEqual((theirs.status_code, theirs.content), (404, unknown.content))
        self.assertEqual(self.bring("../secret", who="two").content, unknown.content)
        elsewhere = two.post("/api/imports/..%2Fsecret/changes", json={})
        self.assertIn(elsewhere.status_code, (404, 405))
        self.assertIn(elsewhere.json()["code"], ("not_found", "wrong_method"))

    def test_refused_rows_are_listed_with_their_place(self):
        """The counts say how many, the faults which and why."""
        answer = self.seen(files.scores(5, 10).replace(files.FALL, "2025-27 fall", 2))
        self.assertEqual(answer["refused"], 2)
        self.assertEqual({fault["column"] for fault in answer["faults"]}, {"window"})

    def test_read_as_somebody_says_and_mended(self):
        """A guess waits for a word; a mended cell comes in; a refused change leaves what was said."""
        one = self.clients["one"]
        text = (
            "Student Number,Test,Subject,Term,Grade Level,Scale Score\n"
            "M0,Other Gauge,reading,Fall 2026,Grade 3,500\nM1,Other Gauge,reading,Fall 2026,Grade 4,51O\n"
        )
        answer = self.seen(text)
        path = f"/api/imports/{answer['draft']}"
        self.assertEqual((answer["mapping"]["source"], answer["mapping"]["to_confirm"]), ("proposed", True))
        self.assertEqual({row["title"]: row["column"] for row in answer["mapping"]["headers"]}["Scale Score"], "score")
        self.assertEqual(answer["refused_rows"][0]["cells"]["score"], "51O")
        self.assertEqual(self.bring(answer["draft"]).status_code, 409)
        refused = one.get(f"{path}/refused.csv").text
        self.assertIn("Student Number", refused.splitlines()[0])
        self.assertIn("M1,Other Gauge,reading,Fall 2026,Grade 4,51O", refused)
        said = {
            "kind": "scores",
            "by_hand": True,
            "columns": {row["name"]: row["column"] for row in answer["mapping"]["headers"]},
        }
        said["values"] = {"grade": {"Grade 3": "3", "Grade 4": "4"}, "window": {"Fall 2026": "2026-27 fall"}}
        said["edits"] = [{"line": 3, "column": "scale_score", "value": "510"}]
        self.assertEqual(one.post(f"{path}/changes", json=said | {"columns": {"term": "shoe"}}).status_code, 422)
        now = one.post(f"{path}/changes", json=said).json()["files"][0]
        self.assertEqual((now["refused"], now["counts"]["new"], now["mapping"]["source"]), (0, 2, "by hand"))
        self.assertEqual(self.clients["two"].post(f"{path}/changes", json=said).status_code, 404)
        self.assertEqual(self.clients["two"].get(f"{path}/refused.csv").status_code, 404)
        done = self.bring(answer["draft"]).json()[0]
        self.assertEqual(done["counts"]["new"], 2)
        again = self.seen(text.replace("51O", "511"))
        self.assertEqual((again["mapping"]["source"], again["counts"]["changed"]), ("remembered", 1))
        one.post(f"/api/imports/{done['id']}/undo")

    def test_several_files_and_a_zip_of_them(self):
        """Each is seen as it comes in after those it rests on, whatever their order; all come in, or none."""
        one = self.clients["one"]
        scores = "student_id,assessment,subject,window,grade,score\nz1,Zip,reading,2026-27 fall,3,400\n"
        absences = "student_id,on,reason\nz1,2026-10-01,ill\nz2,2026-10-01,ill\n"
        upload = [
            ("file", ("absences.csv", absences)),
            ("file", ("scores.csv", scores)),
            ("file", ("x.csv", "a,b\n1,2\n")),
        ]
        found = one.post("/api/imports/preview", files=upload).json()
        self.assertEqual([(f["kind"], f["counts"]["new"], f["refused"]) for f in found["files"]],
                         [("scores", 1, 0), ("absences", 1, 1)])  # fmt: skip
        self.assertEqual([f["file"] for f in found["unread"]], ["x.csv"])
        before = self.state()
        drafts = [f["draft"] for f in found["files"]]
        self.assertEqual(one.post("/api/imports/look", json={"drafts": drafts}).json()["files"], found["files"])
        # One that cannot be read keeps all of them out.
        self.assertEqual(self.bring(*drafts, found["unread"][0]["draft"]).status_code, 422)
        self.assertEqual(self.state(), before)
        self.assertEqual([done["counts"]["new"] for done in self.bring(*drafts).json()], [1, 1])
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            archive.writestr("folder/absences.csv", absences.replace("ill", "away"))
            archive.writestr("folder/more.csv", scores.replace("z1", "z2"))
            archive.writestr("folder/readme.md", "x")
        found = one.post("/api/imports/preview", files={"file": ("all.zip", packed.getvalue())}).json()
        self.assertEqual([(f["kind"], f["counts"]["new"], f["counts"]["changed"]) for f in found["files"]],
                         [("scores", 1, 0), ("absences", 1, 1)])  # fmt: skip
        self.assertEqual(found["notices"], ["left out of all.zip: folder/readme.md"])
        empty = io.BytesIO()
        with zipfile.ZipFile(empty, "w") as archive:
            archive.writestr("a.md", "x")
        for content, word in ((empty.getvalue(), "no table"), (packed.getvalue()[:200], "damaged")):
            answer = self.preview(content, "bad.zip")
            self.assertEqual((answer.status_code, word in answer.json()["message"]), (422, True), word)
        self.assertIsNone(one.get("/api/imports/progress").json())

    def test_a_package_is_seen_and_its_refused_rows_leave_with_their_place(self):
        """The preview of a zip package, and its refused rows with file and line."""
        from tests.support.oneroster import ROSTER, package

        bad = dict(ROSTER, enrollments=ROSTER["enrollments"].replace("k1,s1,u1", "k9,s1,u1"))
        answer = self.seen(package(**bad), "roster.zip")
        self.assertEqual((answer["kind"], answer["refused"], answer["refused_rows"]), ("oneroster", 1, []))
        self.assertEqual((answer["faults"][0]["file"], answer["faults"][0]["line"]), ("roster.zip/enrollments.csv", 2))
        refused = self.clients["one"].get(f"/api/imports/{answer['draft']}/refused.csv").text
        self.assertIn("roster.zip/enrollments.csv,2,classSourcedId", refused)

    def test_cuts_edited_on_the_screen_are_an_import_like_any_other(self):
        """Checked, in the history, and undone like a file."""
        one = self.clients["one"]
        place = {"assessment": "Edit", "subject": "reading", "grade": "3", "season": "fall", "purpose": "performance"}
        rows = [{**place, "band": f"B{at}", "order": str(at), "min_score": low} for at, low in ((1, ""), (2, "400"))]
        done = one.post("/api/imports/edited", json={"kind": "cuts", "rows": rows}).json()
        self.assertEqual(done["counts"]["new"], 2)
        self.assertEqual(one.get("/api/imports").json()[0]["file"], "cuts edited on the screen")
        rows[1]["min_score"] = "x"
        refused = one.post("/api/imports/edited", json={"kind": "cuts", "rows": rows})
        self.assertEqual((refused.status_code, refused.json()["faults"][0]["line"]), (422, 3))
        self.assertEqual(
            one.post("/api/imports/edited", json={"kind": "cuts", "rows": [{"shoe": "1"}]}).status_code, 422
        )
        self.assertEqual(one.post(f"/api/imports/{done['id']}/undo").status_code, 204)

    def test_a_spreadsheet_with_formulas_in_its_text(self):
        """What would be run by a spreadsheet goes out as plain text."""
        text = "student_id,assessment,subject,window,grade,score\n=1+1,T,reading,2026-27 fall,3,x\n"
        draft = self.seen(text)["draft"]
        refused = self.clients["one"].get(f"/api/imports/{draft}/refused.csv").text
        self.assertIn("\r\n'=1+1,T,reading", refused)

    def test_files_that_are_none(self):
        """A picture, an empty file, a spreadsheet, a header of something else: 422 and in words."""
        for content, word in (
            (b"\x89PNG\r\n\x1a\n\xff\xfe", "UTF-8"),
            (b"", "no file that Bodkin reads|none of the files|empty"),
            (b"PK\x03\x04", "spreadsheet"),
            (b"a,b,c\n1,2,3\n", "the closest is"),
        ):
            answer = self.preview(content, "x.csv")
            with self.subTest(word=word):
                self.assertEqual(answer.status_code, 422)
                self.assertRegex(answer.json()["message"], word)

    def test_a_file_s_name_cannot_lead_anywhere(self):
        """Folders are cut off, odd letters replaced."""
        answer = self.seen(files.scores(7, 3), "../../etc/pass*wd.csv")
        self.assertEqual(answer["file"], "pass_wd.csv")
