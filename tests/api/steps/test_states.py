"""Districts at the edges: one student, one window, nothing, twelve windows, bands from two to six.

Each view of the steps says something true, and nothing fails.
"""

import unittest
from datetime import UTC, datetime
from functools import partial

import numpy as np

from bodkin.api.app import build
from bodkin.demo.district import PASSWORD
from bodkin.exchange.imports.bundles import Waiting, bring_in_all
from bodkin.exchange.imports.imports import Changes
from bodkin.store.tables import Person
from tests.api.client import TestClient
from tests.support import stage

HEAD = "student_id,assessment,subject,window,grade,score,standard_error,school,section,programs\n"
YEARS = ("2023-24", "2024-25", "2025-26", "2026-27")
WINDOWS = [f"{year} {season}" for year in YEARS for season in ("fall", "winter", "spring")]
VIEWS = ("compare", "growth", "growth/rows", "compare/trend", "compare/history", "compare/outcome", "check", "home",
         "scope/rail", "drill-down")  # fmt: skip


def scores(students, windows):
    rng = np.random.default_rng(5)
    lines = []
    for who in range(students):
        ability = rng.normal(0, 20)
        for at, window in enumerate(windows):
            year = YEARS.index(window.split()[0])
            score = round(480 + 6 * at + ability + rng.normal(0, 6))
            lines.append(f"s{who},Gauge,reading,{window},{2 + year},{score},8,North,{2 + year}A,")
    return HEAD + "\n".join(lines) + "\n"


def cuts(bands):
    lines = ["assessment,subject,grade,season,band,order,min_score"]
    for grade in range(2, 6):
        for order in range(1, bands + 1):
            low = "" if order == 1 else 440 + round(120 * (order - 1) / bands) + 15 * (grade - 2)
            lines.append(f"Gauge,reading,{grade},,Band {order},{order},{low}")
    return "\n".join(lines) + "\n"


def norms():
    lines = ["assessment,subject,grade,season,week,mean,sd"]
    for grade in range(2, 6):
        for at, season in enumerate(("fall", "winter", "spring")):
            lines.append(f"Gauge,reading,{grade},{season},{4 + 15 * at},{480 + 18 * (grade - 2) + 6 * at},22")
    return "\n".join(lines) + "\n"


def district(**files):
    """A coach at a fresh Bodkin with these files brought in."""
    store, _ = stage.fresh()
    with store.writing(scores=True) as session:
        session.add(Person(name="Dana Coach", role="coach", login="coach", password_hash=stage.password()))
        waiting = [
            Waiting(name, f"{name}.csv", partial(bytes, text.encode()), Changes()) for name, text in files.items()
        ]
        if waiting:
            bring_in_all(session, waiting, None, datetime.now(UTC).replace(tzinfo=None))
    client = TestClient(build(stage.settings(), store))
    client.post("/api/sign-in", json={"login": "coach", "password": PASSWORD})
    return client


def asked(first, second, **more):
    return {"assessment": "Gauge", "subject": "reading", "from_window": first, "to_window": second, **more}


class States(unittest.TestCase):
    def every_view(self, client, scope):
        found = {}
        for view in VIEWS:
            with self.subTest(view=view, scope=scope):
                answer = client.get(f"/api/{view}", params=scope)
                self.assertEqual(answer.status_code, 200, answer.text)
                found[view] = answer.json()
        for view in ("compare", "growth", "compare/trend", "check"):
            self.assertTrue(found[view]["headline"])
            self.assertTrue(found[view]["lead"])
        return found

    def test_an_empty_district(self):
        """No first scope; a scope by address shows nobody, in every view."""
        client = district()
        self.assertIsNone(client.get("/api/scope/first").json()["scope"])
        answer = self.every_view(client, asked(WINDOWS[-3], WINDOWS[-2]))
        self.assertEqual(answer["compare"]["headline"], "No results for this choice")
        self.assertEqual(answer["growth"]["rows"], [])
        self.assertEqual(answer["compare/history"]["n"], 0)

    def test_one_student(self):
        """Counts instead of judging; a mean has no range; no chance is told."""
        client = district(scores=scores(1, WINDOWS[-3:-1]), cuts=cuts(4), norms=norms())
        answer = self.every_view(client, asked(*WINDOWS[-3:-1]))
        self.assertEqual(answer["growth"]["growth"]["n"], 1)
        self.assertIn("1 student", answer["growth"]["headline"])
        point = answer["compare/trend"]["lines"][0]["points"][0]
        self.assertEqual((point["n"], point["low"]), (1, None))

    def test_one_window_only(self):
        """The first choice is that window and the next; growth projects; alone it shows its shares."""
        client = district(scores=scores(30, WINDOWS[-3:-2]), cuts=cuts(4), norms=norms())
        first = client.get("/api/scope/first").json()["scope"]
        self.assertEqual((first["from_window"], first["to_window"]), (WINDOWS[-3], WINDOWS[-2]))
        answer = self.every_view(client, first)
        self.assertTrue(answer["growth"]["still_to_come"])
        self.assertEqual(answer["growth"]["n"], 30)
        alone = self.every_view(client, asked(WINDOWS[-3], WINDOWS[-3]))
        self.assertEqual(sum(row["to_n"] for row in alone["compare"]["bands"]), 30)
        self.assertEqual(alone["growth"]["headline"], "Growth needs two windows")

    def test_all_missing_at_the_windows_looked_at(self):
        """Everybody was tested, in other windows."""
        client = district(scores=scores(12, WINDOWS[:2]), cuts=cuts(4), norms=norms())
        answer = self.every_view(client, asked(*WINDOWS[-3:-1]))
        self.assertEqual((answer["compare"]["from_n"], answer["compare"]["to_n"]), (0, 0))

    def test_twelve_windows(self):
        """A trend of twelve points over four grades, a grid of twelve columns."""
        client = district(scores=scores(25, WINDOWS), cuts=cuts(4), norms=norms())
        scope = asked(WINDOWS[0], WINDOWS[-1], between=WINDOWS[1:-1], years=3)
        answer = self.every_view(client, scope)
        self.assertEqual([point["n"] for point in answer["compare/trend"]["lines"][0]["points"]], [25] * 12)
        self.assertEqual(len(answer["compare/history"]["columns"]), 12)
        self.assertEqual(len(client.get("/api/scope/choices").json()["windows"]), 12)

    def test_bands_from_two_to_six(self):
        """Shares add up, the first of the upper half is quoted, moves are counted."""
        for bands, quoted in ((2, "Band 2"), (3, "Band 2"), (4, "Band 3"), (5, "Band 3"), (6, "Band 4")):
            with self.subTest(bands=bands):
                client = district(scores=scores(40, WINDOWS[-3:-1]), cuts=cuts(bands), norms=norms())
                scope = asked(*WINDOWS[-3:-1], by="school")
                if bands in (2, 6):
                    self.every_view(client, scope)
                compared = client.get("/api/compare", params=scope).json()
                self.assertEqual(len(compared["bands"]), bands)
                self.assertEqual(compared["quoted"]["band"], quoted)
                self.assertAlmostEqual(sum(row["to_share"] for row in compared["bands"]), 1.0)
                self.assertEqual(sum(sum(row) for row in compared["movement"]["table"]), 40)
                offers = client.post(
                    "/api/goals/offers", params=asked(*WINDOWS[-3:-1]), json={"students": ["s0", "s1"]}
                ).json()
                self.assertEqual((offers["band"], len(offers["rows"])), (bands // 2 + 1, 2))

    def test_without_norms_or_cuts(self):
        """Each view says what is missing."""
        client = district(scores=scores(15, WINDOWS[-3:-1]))
        answer = self.every_view(client, asked(*WINDOWS[-3:-1]))
        self.assertEqual(answer["compare"]["headline"], "Results without bands")
        self.assertEqual(answer["growth"]["headline"], "Growth cannot be judged here")
        self.assertIn("no norms were given, so there is no expected growth", answer["growth"]["notes"])
