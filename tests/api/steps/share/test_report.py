"""A report of chosen views: the figures of Compare, Growth and Needs, small groups withheld, nobody named."""

import io
import re
import unittest

from pypdf import PdfReader

from tests.api.application import SCOPE, application, signed_in
from tests.support import stage

EVERY = ["compare:school", "growth:grade", "growth:section", "needs", "follow-up"]


def text_of(login="coach", **query):
    answer = signed_in(login).get("/api/share/report.pdf", params={**SCOPE, **query})
    assert answer.status_code == 200, answer.text
    pages = [" ".join(page.extract_text().split()) for page in PdfReader(io.BytesIO(answer.content)).pages]
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
