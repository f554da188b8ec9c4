"""Each rule of the headless run by a small hand-made file."""

from tests.support import files
from tests.support.headless import HEADER, Run, line


class Rules(Run):
    def test_which_of_several_counts(self):
        """The latest date; an undated one is older than any dated; at a tie the later line."""
        self.write(
            scores=HEADER
            + line("a", files.FALL, 500, "2025-09-20")
            + line("a", files.FALL, 501, "2025-09-10")
            + line("b", files.FALL, 502, "2025-09-10")
            + line("b", files.FALL, 503)
            + line("c", files.FALL, 504, "2025-09-10")
            + line("c", files.FALL, 505, "2025-09-10")
            + line("d", files.FALL, 506)
            + line("d", files.FALL, 507)
            + line("e", files.FALL, "", "2025-09-30")
            + line("e", files.WINTER, 508)
        )
        students, summary = self.result()
        self.assertEqual(students.from_score.tolist(), ["500.0", "502.0", "505.0", "507.0", ""])
        left_out = [{"reason": f"no result in {window}", "n": n} for window, n in ((files.FALL, 1), (files.WINTER, 4))]
        self.assertEqual(summary["counts"], {"from": 4, "to": 1, "matched": 0, "left_out": left_out})

    def test_outside_the_windows(self):
        """Counted as left out; a row only with a result in either window; a matched student is not left out."""
        self.write(
            scores=HEADER
            + line("a", "", 500, "2025-11-01")
            + line("b", files.FALL, 500)
            + line("b", "", 505)
            + line("c", files.FALL, 500)
            + line("c", files.WINTER, 505)
            + line("c", "", 510)
        )
        students, summary = self.result()
        self.assertEqual(
            dict(zip(students.student_id, students.left_out, strict=True)), {"b": "outside the windows", "c": ""}
        )
        self.assertEqual(summary["counts"]["left_out"], [{"reason": "outside the windows", "n": 2}])

    def test_all_leaves_nobody_out_of_the_shares(self):
        """Each window over its own students; movement stays with the matched ones."""
        cut = "assessment,subject,grade,season,band,order,min_score\n"
        cut += "Tide Test,reading,3,,Low,1,\nTide Test,reading,3,,High,2,505\n"
        rows = line("a", files.FALL, 500) + line("b", files.FALL, 505) + line("b", files.WINTER, 504)
        self.write(scores=HEADER + rows, cuts=cut)
        students, summary = self.result("--all")
        self.assertEqual(students.left_out.tolist(), ["", ""])
        self.assertEqual([row["from_n"] for row in summary["bands"]], [1, 1])
        self.assertEqual([row["to_n"] for row in summary["bands"]], [1, 0])
        self.assertEqual((summary["movement"]["up"], summary["movement"]["down"]), (0, 1))
        self.assertEqual(
            summary["movement"]["bowker"], {"statistic": 1.0, "df": 1, "p": summary["movement"]["bowker"]["p"]}
        )

    def test_two_classes_of_one_name_are_told_apart(self):
        """By school and name in breakdowns; a filter takes the name for both, or one with its school."""
        header = HEADER.strip() + ",section\n"
        rows = "".join(
            line(student, window, 500 + at, school=school).strip() + f",{section}\n"
            for at, (student, school, section) in enumerate(
                (("a", "North", "4A"), ("b", "South", "4A"), ("c", "South", "4B"))
            )
            for window in (files.FALL, files.WINTER)
        )
        self.write(scores=header + rows)
        _, summary = self.result("--by", "section")
        self.assertEqual([row["value"] for row in summary["by"]], ["4B", "North: 4A", "South: 4A"])
        for wanted, students in (("4A", ["a", "b"]), ("South: 4A", ["b"]), ("South: 4B", ["c"]), ("4B", ["c"])):
            with self.subTest(section=wanted):
                chosen, _ = self.result("--section", wanted)
                self.assertEqual(chosen.student_id.tolist(), students)

    def test_ties_on_a_cut_and_the_second_window_still_to_come(self):
        """A score on the cut is in the upper band; without any second result the expectation stands."""
        self.write(
            scores=HEADER + line("a", files.FALL, 462, error="5") + line("b", files.FALL, 461.9, error="0.1"),
            norms=files.norms(),
            cuts=files.cuts(),
        )
        students, summary = self.result()
        self.assertEqual(students.from_band.tolist(), ["High", "Mid"])
        self.assertTrue((students.expected_score != "").all())
        for column in ("gain", "gain_z", "growth_percentile", "met", "verdict", "to_score"):
            self.assertEqual(students[column].tolist(), ["", ""], column)
        self.assertEqual(summary["growth"]["n"], 0)
        # The bands of winter's cuts, by the normal distribution about what is expected.
        chances = students.chance_at_or_above.astype(float)
        self.assertTrue(((chances > 0) & (chances < 1)).all())
        ahead = summary["outlook"]
        self.assertEqual(ahead["window"], files.WINTER)
        self.assertEqual([band["band"] for band in ahead["bands"]], ["Low", "Mid", "High", "Top"])
        self.assertAlmostEqual(ahead["at_or_above"]["expected_share"], chances.mean())
        self.assertEqual(set(ahead["bands"][0]), {"band", "expected_n", "low", "high"})
        self.assertAlmostEqual(sum(band["expected_n"] for band in ahead["bands"]), 2)

    def test_units_beside_the_whole_and_an_exact_test_of_few_movers(self):
        """Every unit has its three figures with their ranges; the exact chance stands with few movers."""
        rows = "".join(
            line(f"s{at}", window, 440 + 3 * at + add, school="North" if at % 3 else "South")
            for at in range(30) for window, add in ((files.FALL, 0), (files.WINTER, 8 + at % 5))
        )  # fmt: skip
        self.write(scores=HEADER + rows, norms=files.norms(), cuts=files.cuts())
        _, summary = self.result("--by", "school")
        self.assertIsNone(summary["outlook"])
        movers = summary["movement"]["up"] + summary["movement"]["down"]
        self.assertTrue(0 < movers < 25)
        self.assertTrue(0 < summary["movement"]["p_exact"] <= 1)
        for unit in summary["by"]:
            self.assertEqual(set(unit["compared"]), {"net_move", "met_share", "mean_gain_z"})
            for one in unit["compared"].values():
                self.assertEqual(set(one), {"raw", "low", "high", "estimate", "different"})
                self.assertTrue(one["low"] <= one["raw"] <= one["high"])
            self.assertEqual(unit["compared"]["net_move"]["raw"], unit["movement"]["net"])
            self.assertEqual(unit["compared"]["met_share"]["raw"], unit["growth"]["met_share"])

    def test_breakdown_by_program_counts_a_student_in_each(self):
        """Several programs count in each, none under "none"; a unit without matched students has a row."""
        self.write(
            scores=HEADER
            + line("a", files.FALL, 500, programs="ML; IEP")
            + line("a", files.WINTER, 510, programs="ML; IEP")
            + line("b", files.FALL, 500)
            + line("b", files.WINTER, 510)
            + line("c", files.FALL, 500, programs="Advanced")
        )
        _, summary = self.result("--by", "program")
        answer = {row["value"]: row["counts"]["matched"] for row in summary["by"]}
        self.assertEqual(answer, {"ML": 1, "IEP": 1, "none": 1, "Advanced": 0})

    def test_fields_are_those_of_the_later_result(self):
        """A student who moved counts where the later result was; without one, where the earlier was."""
        self.write(
            scores=HEADER
            + line("a", files.FALL, 500, school="North")
            + line("a", files.WINTER, 510, school="South")
            + line("b", files.FALL, 500, school="North")
        )
        students, _ = self.result("--school", "South")
        self.assertEqual(students.student_id.tolist(), ["a"])
        students, _ = self.result("--school", "North")
        self.assertEqual(students.student_id.tolist(), ["b"])

    def test_with_a_calendar_windows_go_by_date_and_norms_by_week(self):
        """The date decides the window; the norm is interpolated between the weeks of its rows."""
        self.write(
            scores=HEADER
            + line("a", files.WINTER, 500, "2025-09-15")
            + line("a", files.FALL, 510, "2026-01-12")
            + line("b", files.FALL, 505, "2025-11-03"),
            norms="assessment,subject,grade,season,week,mean,sd\n"
            "Tide Test,reading,3,fall,0,480,20\nTide Test,reading,3,winter,20,500,20\n",
            calendar="kind,name,from,to\nschool year,2025-26,2025-09-01,2026-06-30\n"
            "window,2025-26 fall,2025-09-08,2025-10-03\nwindow,2025-26 winter,2026-01-05,2026-02-06\n"
            "closure,autumn,2025-10-20,2025-10-24\n",
        )
        students, summary = self.result()
        self.assertEqual(students.student_id.tolist(), ["a"])
        self.assertEqual((students.from_score[0], students.to_score[0]), ("500.0", "510.0"))
        # Two weeks of school before 15 September; 95 weekdays less one closed week before 12 January.
        mu1, mu2 = 480 + 2.0, 480 + (95 - 5) / 5
        self.assertAlmostEqual(float(students.expected_score[0]), mu2 + 0.85 * (500 - mu1), places=9)
        self.assertEqual(summary["counts"]["left_out"], [{"reason": "outside the windows", "n": 1}])

    def test_a_window_that_the_calendar_does_not_know_stays_as_the_file_says(self):
        """A calendar of this year only does not take last spring's results out of their window."""
        self.write(
            scores=HEADER
            + line("a", "2024-25 spring", 500, "2025-04-28")
            + line("a", files.WINTER, 510, "2025-09-15")
            + line("b", "", 505, "2025-09-16"),
            calendar="kind,name,from,to\nschool year,2025-26,2025-09-01,2026-06-30\n"
            "window,2025-26 fall,2025-09-08,2025-10-03\nwindow,2025-26 winter,2026-01-05,2026-02-06\n",
        )
        students, summary = self.result(first="2024-25 spring", second=files.FALL)
        self.assertEqual(students.left_out.tolist(), ["", "no result in 2024-25 spring"])
        self.assertEqual((summary["counts"]["from"], summary["counts"]["to"]), (1, 2))

    def test_without_norms_the_file_s_own_percentile_stands(self):
        """And nothing is expected, with a note that says so."""
        self.write(scores=HEADER + line("a", files.FALL, 500, percentile="41") + line("a", files.WINTER, 510))
        students, summary = self.result()
        self.assertEqual((students.from_percentile[0], students.to_percentile[0]), ("41.0", ""))
        self.assertTrue(any("no norms" in note for note in summary["notes"]))
        self.assertIsNone(summary["movement"])

    def test_assumed_correlation_is_said(self):
        """Without a growth norm 0.85 stands, with a note."""
        self.write(scores=HEADER + line("a", files.FALL, 500) + line("a", files.WINTER, 510), norms=files.norms())
        _, summary = self.result()
        self.assertTrue(any("0.85" in note for note in summary["notes"]))


class Withheld(Run):
    def test_small_cells_and_a_second_one(self):
        """No count below ten stands, n and shares are null, and a second band goes with a single small one."""
        self.write(scores=files.scores(7, 240), norms=files.norms(), cuts=files.cuts())
        _, summary = self.result("--by", "section", "--withhold", "10")
        for part in (summary, *summary["by"]):
            hidden = [row for row in part["bands"] if row.get("withheld")]
            self.assertNotEqual(len(hidden), 1)
            for row in part["bands"]:
                for side in ("from", "to"):
                    if row.get("withheld"):
                        self.assertIsNone(row[f"{side}_n"])
                        self.assertIsNone(row[f"{side}_share"])
                    else:
                        self.assertGreaterEqual(row[f"{side}_n"], 10)

    def test_a_small_unit_goes_whole_and_takes_another_with_it(self):
        """Nine at one school, forty at another: both go, or the nine could be worked out."""
        rows = "".join(
            line(f"s{at}", window, 500 + at, school="Tiny" if at < 9 else "Large")
            for at in range(49)
            for window in (files.FALL, files.WINTER)
        )
        self.write(scores=HEADER + rows, cuts=files.cuts())
        _, summary = self.result("--by", "school", "--withhold", "10")
        self.assertTrue(all(row["withheld"] and row["counts"]["matched"] is None for row in summary["by"]))
