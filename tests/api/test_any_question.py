"""Whatever is asked, the answer is one of ours: properties over drawn questions, and no 500."""

import unittest
from itertools import pairwise

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.api.application import SCOPE, signed_in
from tests.support.extent import extent

WINDOWS = [f"{year} {season}" for year in ("2024-25", "2025-26", "2026-27") for season in ("fall", "winter", "spring")]
ODD = st.sampled_from(["", "'; DROP TABLE result; --", "\u0000", "نور", "9" * 400, "../..", "-1", "4 Curlew", "none"])

questions = st.fixed_dictionaries(
    {
        "assessment": st.sampled_from(["Saltgauge", "saltgauge"]) | ODD,
        "subject": st.sampled_from(["reading", "mathematics"]) | ODD,
        "from_window": st.sampled_from(WINDOWS) | ODD,
        "to_window": st.sampled_from(WINDOWS) | ODD,
    },
    optional={
        "matched": st.sampled_from(["true", "false", "perhaps"]),
        "cuts": st.sampled_from(["season", "year-end", "none"]),
        "grade": st.lists(st.sampled_from(["4", "8", "K"]) | ODD, max_size=3),
        "school": st.lists(ODD, max_size=2),
        "group": st.lists(st.sampled_from(["1", "2", "99999999999999999999", "x"]), max_size=2),
        "student": st.lists(ODD, max_size=2),
        "by": st.sampled_from(["school", "program", "shoe"]),
        "language": ODD,
    },
)

scopes = st.builds(
    lambda pair, subject, grades, matched, cuts, by: {
        "assessment": "Saltgauge",
        "subject": subject,
        "from_window": WINDOWS[min(pair)],
        "to_window": WINDOWS[max(pair)],
        "grade": grades,
        "matched": matched,
        "cuts": cuts,
        "by": by,
    },
    st.lists(st.integers(0, 8), min_size=2, max_size=2, unique=True),
    st.sampled_from(["reading", "mathematics"]),
    st.lists(st.sampled_from("2345678"), max_size=2, unique=True),
    st.booleans(),
    st.sampled_from(["season", "year-end"]),
    st.sampled_from(["school", "grade", "program"]),
)

slowly = settings(
    max_examples=extent(10, 200), deadline=None, derandomize=True, suppress_health_check=list(HealthCheck)
)


class AnyQuestion(unittest.TestCase):
    @given(
        questions, st.sampled_from(["compare", "growth", "drill-down", "scope/rail", "compare.csv", "drill-down.csv"])
    )
    @slowly
    def test_an_odd_question_gets_a_clear_answer(self, question, route):
        """An answer, an unknown thing, or a refusal in the one shape; nothing of the database in it."""
        answer = signed_in("coach").get(f"/api/{route}", params=question)
        self.assertIn(answer.status_code, (200, 404, 422), answer.text[:300])
        if answer.status_code != 200:
            found = answer.json()
            self.assertEqual(set(found), {"code", "message", "faults"})
            self.assertNotIn("MySQL", found["message"])
            self.assertTrue(found["message"])

    @given(scopes)
    @slowly
    def test_what_must_hold_of_every_comparison(self, scope):
        """Shares add up, margins are the shares, matched never exceeds a window, ends hold the share."""
        answer = signed_in("coach").get("/api/compare", params={**scope, "count": 5000}).json()
        self.assertLessEqual(answer["matched_n"], min(answer["from_n"], answer["to_n"]))
        moved = answer["movement"]
        self.assertEqual(sum(map(sum, moved["table"])), moved["up"] + moved["same"] + moved["down"])
        for side, n in (("from", answer["from_n"]), ("to", answer["to_n"])):
            counts = [row[f"{side}_n"] for row in answer["bands"]]
            self.assertEqual(sum(counts), answer["matched_n"] if scope["matched"] else n)
            if not sum(counts):
                continue
            self.assertAlmostEqual(sum(row[f"{side}_share"] for row in answer["bands"]), 1)
            for row in answer["bands"]:
                self.assertTrue(row[f"{side}_low"] <= row[f"{side}_share"] <= row[f"{side}_high"])
            above = [row[f"{side}_at_or_above"] for row in answer["bands"]]
            self.assertTrue(all(a >= b for a, b in pairwise(above)))
        if scope["matched"]:
            rows = [sum(row) for row in moved["table"]]
            columns = [sum(column) for column in zip(*moved["table"], strict=True)]
            self.assertEqual(rows, [row["from_n"] for row in answer["bands"]])
            self.assertEqual(columns, [row["to_n"] for row in answer["bands"]])
        if scope["by"] != "program":
            self.assertEqual(sum(unit["counts"]["matched"] for unit in answer["by"]), answer["matched_n"])

    @given(scopes)
    @slowly
    def test_what_must_hold_of_every_growth(self, scope):
        """Met is what it says, distances and ranks agree in sign, verdicts stand beyond the error."""
        answer = signed_in("coach").get("/api/growth", params={**scope, "count": 5000}).json()
        rows = [row for row in answer["rows"] if row["distance"] is not None]
        self.assertEqual(sum(row["met"] for row in rows), answer["growth"]["met_n"])
        for row in rows:
            self.assertEqual(row["met"], row["gain"] >= row["expected_gain"] - 1e-9)
            self.assertTrue(row["expected_low"] < row["expected_score"] < row["expected_high"])
            # The expectation is a line in the start score: its slope from the spreads beside the row.
            rho = (1 - (row["expected_spread"] / row["to_norm_sd"]) ** 2) ** 0.5
            slope = rho * row["to_norm_sd"] / row["from_norm_sd"]
            error = 1.645 * (row["to_error"] ** 2 + (slope * row["from_error"]) ** 2) ** 0.5
            beyond = row["gain"] - row["expected_gain"]
            verdict = "clearly_above" if beyond > error else "clearly_below" if beyond < -error else "as_expected"
            if abs(abs(beyond) - error) > 1e-6:
                self.assertEqual(row["verdict"], verdict)
            if abs(row["distance"]) > 0.02:
                self.assertEqual(row["growth_percentile"] > 50, row["distance"] > 0)

    def test_a_number_too_large_for_the_database_is_refused(self):
        """A group and an import of a number beyond any key: the field is named, or there is no such thing."""
        coach = signed_in("coach")
        for number in (10**30, 2**31, 2**63):
            for field, answer in (
                ("group_id", coach.get(f"/api/groups/{number}")),
                ("import_id", coach.post(f"/api/imports/{number}/undo")),
            ):
                self.assertEqual((answer.status_code, field in answer.json()["message"]), (422, True))
            self.assertIn(coach.get("/api/growth", params={**SCOPE, "group": number}).status_code, (404, 422))
