"""A report of chosen views: the figures of Compare, Growth and Needs, small groups withheld, nobody named."""

import io
import re
import unittest

from pypdf import PdfReader

from tests.api.application import SCOPE, application, signed_in
from tests.support import stage
from tests.support.pdf import page_texts

EVERY = [
    "compare:school", "growth:grade", "growth:section", "trend", "history", "outcome", "needs", "standards", "practice",
    "two-measures", "helped", "follow-up",
]  # fmt: skip


def text_of(login="coach", **query):
    answer = signed_in(login).get("/api/share/report.pdf", params={**SCOPE, **query})
    assert answer.status_code == 200, answer.text
    pages = [" ".join(page.split()) for page in page_texts(answer.content)]
    return pages, answer.content


class Figures(unittest.TestCase):
    def test_compare_and_growth_by_unit(self):
        """Students, shares, movers and who met: as the views say with small groups hidden."""
        client = signed_in("coach")
        shown = client.get("/api/compare", params={**SCOPE, "by": "school", "withhold": 10}).json()
        (page, *_), _ = text_of(view=["compare:school"])
        self.assertIn(shown["headline"], page)
        for unit in shown["by"]:
            moved = unit["movement"]
            self.assertRegex(
                page, rf"{re.escape(unit['value'])} {unit['counts']['matched']:,} .*? {moved['up']} {moved['down']}"
            )
        grown = client.get("/api/growth/units", params={**SCOPE, "by": "grade"}).json()
        (page, *_), _ = text_of(view=["growth:grade"])
        whole = client.get("/api/growth", params=SCOPE).json()
        self.assertIn(f"{100 * whole['growth']['met_share']:.0f} % met their expected growth", page)
        for unit in grown["rows"]:
            self.assertIn(f"{unit['value']} {unit['n']:,} {100 * unit['met_share']['raw']:.0f} %", page)

    def test_needs_and_follow_up(self):
        """Each strand's students and who is below; every running group."""
        strands = signed_in("coach").get("/api/needs/strands", params=SCOPE).json()["strands"]
        pages, _ = text_of(view=["needs", "follow-up"])
        for one in strands:
            self.assertIn(f"{one['strand']} {one['n']:,} {one['below']:,} (", pages[0])
        for group in signed_in("coach").get("/api/follow-up/groups").json():
            self.assertIn(group["name"], pages[1])

    def test_trend_history_and_outcome(self):
        """Each window's mean and share; each level of the outcome; the bands of each window in the grid."""
        client = signed_in("coach")
        many = {**SCOPE, "from_window": "2025-26 fall", "between": ["2025-26 winter", "2025-26 spring", "2026-27 fall"]}
        shown = client.get("/api/compare/trend", params=many).json()
        (page, *_), _ = text_of(**many, view=["trend"])
        self.assertIn(shown["headline"], page)
        for label, point in zip(shown["labels"], shown["lines"][0]["points"], strict=True):
            share = rf"{point['above_n']:,} \({100 * point['above']:.0f}"
            self.assertRegex(page, rf"{label} {point['n']:,} {point['mean']:.0f} .*?{share}")
        outcome = client.get("/api/compare/outcome", params=SCOPE).json()
        (page, *_), _ = text_of(view=["outcome"])
        for level in outcome["levels"]:
            self.assertIn(f"Likely {level['level']} {level['likely_n']:,} (", page)
        for band in outcome["by_band"]:
            self.assertIn(f"In {band['band']} today {band['n']:,} {100 * band['chance']:.0f} %", page)
        grid = client.get("/api/compare/history", params={**SCOPE, "years": 3, "count": 500}).json()
        (page, *_), _ = text_of(view=["history"])
        for column in grid["columns"]:
            year, season = column["window"].split(" ")
            language = f", {column['language']}" if column["language"] else ""
            self.assertRegex(page, rf"{year} {season}{language} {column['n']:,} ")

    def test_standards_items_and_practice(self):
        """Each standard that somebody lacks, each item's right answers, each reason."""
        client = signed_in("coach")
        skills = client.get("/api/needs/standards", params=SCOPE).json()["skills"]
        (page, *_), _ = text_of(view=["standards"])
        self.assertIn(f"Teach {skills[0]['standard']} first", page)
        for one in skills:
            if one["lacking"] and one["mastered"] >= 10:
                self.assertIn(one["standard"], page)
        practice = client.get("/api/follow-up/practice", params=SCOPE).json()
        (page, *_), _ = text_of(view=["practice"])
        self.assertIn(practice["period"], page)
        for one in practice["reasons"]:
            if one["n"] >= 10:
                self.assertIn(f"{one['reason'].capitalize()} {one['n']:,} (", page)
        test = {"assessment": "Unit check: decimals", "subject": "mathematics", "from_window": "2026-27 fall",
                "to_window": "2026-27 fall"}  # fmt: skip
        items = client.get("/api/needs/items", params=test).json()
        (page, *_), _ = text_of(**test, view=["items"])
        for one in items["items"]:
            self.assertRegex(page, rf"{one['item']} .*?{one['right_n']} \({100 * one['difficulty']:.0f}")
        (page, *_), _ = text_of(view=["items"])
        self.assertIn("Choose a common test", page)

    def test_two_measures_and_help(self):
        """The four standings; each tier and focus with enough matched students, no adult beside another."""
        client = signed_in("coach")
        two = client.get("/api/follow-up/two", params=SCOPE).json()
        (page, *_), _ = text_of(view=["two-measures"])
        for one in two["standings"]:
            self.assertIn(f"{one['words'][0].upper()}{one['words'][1:]} {one['n']:,} (", page)
        kinds = client.get("/api/follow-up/helped/kinds").json()
        (page, *_), _ = text_of(view=["helped"])
        for one in kinds:
            self.assertEqual(one["kind"] != "adult", one["value"] in page, one["value"])

    def test_it_is_tagged_and_in_the_order_asked_for(self):
        """PDF/UA-1, a page a view or more, the sentence at the foot."""
        pages, content = text_of(view=["needs", "compare:school"])
        self.assertIn("Needs by strand", pages[0])
        self.assertIn("Standing and movement by school", pages[1])
        self.assertIn("Saltgauge Reading for all students", pages[0])
        root = PdfReader(io.BytesIO(content)).trailer["/Root"]
        self.assertTrue(root["/MarkInfo"]["/Marked"])


class Withheld(unittest.TestCase):
    def test_small_groups_and_names(self):
        """A class of few is withheld; no student's name or id stands on any page."""
        pages, _ = text_of(view=EVERY)
        said = " ".join(pages)
        with stage.demo().reading() as session:
            names = application().state.runtime.names(session)
        for student, (family, given) in names.items():
            self.assertNotIn(student, said)
            self.assertNotIn(f"{given} {family}", said)
        few = [row["student_id"] for row in signed_in("coach").get(
            "/api/growth/rows", params={**SCOPE, "section": "4 Curlew", "count": 6}).json()["rows"]]  # fmt: skip
        pages, _ = text_of(view=EVERY, student=few)
        said = " ".join(pages[:-1])
        self.assertIn("Too few students to show", said)
        self.assertIn("fewer than 10", said)
        self.assertNotRegex(said, r"\b[1-6] \(\d+")

    def test_what_is_asked_wrong(self):
        """A view or breakdown there is none of, a breakdown where there is none."""
        client = signed_in("coach")
        for view in ("poem", "compare:weather", "needs:school"):
            answer = client.get("/api/share/report", params={**SCOPE, "view": view})
            self.assertEqual(answer.status_code, 422, view)
