"""Pages written from facts: sections and their order, sentences of growth and standing, gaps, what is for the team."""

import unittest
from datetime import date

from bodkin.answers.share.long import long_table
from bodkin.answers.share.sections import FIRST, TEAM_ONLY, checked_sections, may_have
from bodkin.core.errors import BadInput
from tests.support import sheets
from tests.support.sheets import FALL, READING, SPRING, WINTER, asked, facts, point, round_row, sheet, text_of, thread


def words(key, **more):
    """The text of one section."""
    page = sheet(asked(sections=(key,), **{name: more.pop(name) for name in ("language", "audience", "windows")
                                           if name in more}), **more)  # fmt: skip
    return text_of(page)


class Sections(unittest.TestCase):
    def test_first_sets_and_their_order(self):
        """Growth first for the family; what has nothing to say is left out; any order can be asked for."""
        page = sheet()
        self.assertEqual([one.key for one in page.sections], list(FIRST["family"]))
        page = sheet(asked(sections=("contact", "growth")))
        self.assertEqual([one.key for one in page.sections], ["contact", "growth"])
        bare = sheet(goals=[], help=[], notes=[], skills={})
        self.assertEqual([one.key for one in bare.sections],
                         ["growth", "standing", "thread", "skills", "home", "contact"])  # fmt: skip

    def test_the_team_s_own_sections(self):
        """No other page may have them, and none of their words stands on one, whatever it is asked for."""
        self.assertFalse(TEAM_ONLY & set(may_have("family")))
        for audience in ("family", "student", "plan"):
            for section in TEAM_ONLY:
                with self.assertRaisesRegex(BadInput, "for the team only"):
                    checked_sections(audience, [section])
            self.assertNotIn("ZEBRA", text_of(sheet(asked(audience=audience, sections=may_have(audience)))))
        team = text_of(sheet(asked(audience="team")))
        self.assertEqual(team.count("ZEBRA"), 3)
        with self.assertRaisesRegex(BadInput, "there is no 'poem'"):
            checked_sections("team", ["poem"])


class Growth(unittest.TestCase):
    def test_up_down_and_the_same(self):
        """The points said are those of the rounded scores, beside what is usual and whether chance can do it."""
        self.assertIn("Ana gained 12 points from fall 2025-26 to winter 2025-26: from 500 to 512", words("growth"))
        self.assertIn("usually gain about 10 points in this time. Tests are not exact", words("growth"))
        down = {READING: round_row(to_score=489.6, gain=-10.4, verdict="clearly_below")}
        said = words("growth", rounds=down)
        self.assertIn("scored 10 points lower in winter 2025-26 than in fall 2025-26: 490 after 500", said)
        self.assertIn("Ana grew clearly less than that", said)
        same = {READING: round_row(to_score=500.4, gain=0.4, verdict="clearly_above")}
        self.assertIn("has the same score in winter 2025-26 as in fall 2025-26: 500", words("growth", rounds=same))
        lose = {READING: round_row(expected_gain=-4.0)}
        self.assertIn("usually lose about 4 points", words("growth", rounds=lose))

    def test_before_the_second_test_and_without_it(self):
        """Still to come: what students usually reach; over and not sat: that there is no result."""
        row = {READING: round_row(to_score=None, gain=None, verdict=None)}
        self.assertIn("usually reach about 510 by then. Most reach between 500 and 519",
                      words("growth", rounds=row, to_come=True))  # fmt: skip
        self.assertIn("There is no result for winter 2025-26.", words("growth", rounds=row))

    def test_the_lane_has_the_same_figures(self):
        """First, present, expected and goal; the goal of another subject is not on it."""
        page = sheet(asked(sections=("growth",)))
        lane = next(block for block in page.sections[0].blocks if block.kind == "lane")
        self.assertEqual((lane.first, lane.now, lane.low, lane.high, lane.expected, lane.goal),
                         (500.0, 512.0, 504.0, 520.0, 509.6, 520.0))  # fmt: skip
        self.assertIn("500 in fall 2025-26, 512 in winter 2025-26, usual 510", lane.alt)

    def test_in_the_student_s_voice_and_in_portuguese(self):
        """You gained; the windows and the caption in the language; the test's own name stays."""
        self.assertIn("you gained 12 points", words("growth", audience="student"))
        page = sheet(asked(language="pt", sections=("growth",)))
        self.assertIn("Entre o outono de 2025-26 e o inverno de 2025-26, Ana ganhou 12 pontos em leitura",
                      text_of(page))  # fmt: skip
        self.assertEqual(page.caption, "Leitura (Tide), outono de 2025-26 e inverno de 2025-26")
        self.assertEqual(sheet().caption, asked().caption)


class Standing(unittest.TestCase):
    def test_range_place_and_band(self):
        """A range and not a point, a place that is no percent correct, the band as a step."""
        said = words("standing")
        self.assertIn("is 512. No test is exact. On another day it could be from 504 to 520.", said)
        self.assertIn("Out of 100 students of this grade, about 44 scored lower.", said)
        self.assertIn("not the share of right answers", said)
        self.assertIn("in the band Mid. This is step 2 of 3.", said)

    def test_what_is_not_known_is_not_said(self):
        """No error, no norms, no bands: the score alone."""
        only = thread(point(WINTER, date(2026, 1, 20), 512.0, low=None, high=None, percentile=None, band=None,
                            order=None))  # fmt: skip
        said = words("standing", threads=[only])
        self.assertIn("The score in reading is 512.", said)
        for words_ in ("exact", "Out of", "band"):
            self.assertNotIn(words_, said)

    def test_two_languages_are_told_apart(self):
        """A thread in each language, each named."""
        said = words("standing", threads=[thread(language="English"), thread(language="Portuguese")])
        self.assertIn("in reading (English) is", said)
        self.assertIn("in reading (Portuguese) is", said)


class PathSoFar(unittest.TestCase):
    def test_a_missed_window_is_a_gap_and_named(self):
        """Fall and spring without winter: the line is open and the gap is said."""
        gap = thread(point(FALL, date(2025, 9, 9), 500.0), point(SPRING, date(2026, 5, 30), 520.0))
        page = sheet(asked(sections=("thread",), windows=[FALL, WINTER, SPRING]), threads=[gap])
        path = next(block for block in page.sections[0].blocks if block.kind == "path")
        self.assertEqual([one.open for one in path.points], [True, True])
        self.assertIn("There is no result for winter 2025-26.", text_of(page))
        self.assertEqual([round(one.x, 2) for one in path.points], [0.0, 1.0])
        self.assertIn("fall 2025-26 500, spring 2025-26 520", path.alt)

    def test_one_result_is_no_path(self):
        """Nothing is drawn of a single result."""
        self.assertNotIn("dotted", words("thread", threads=[thread(point(FALL, date(2025, 9, 9), 500.0))]))


class Others(unittest.TestCase):
    def test_help_goals_practice_items(self):
        """Each as its step has it."""
        self.assertIn("Ana came to 11 of 14 sessions.", words("help"))
        self.assertIn("In reading, the goal is 520 by May 20, 2026. What Ana will do: read each evening. "
                      "Agreed with the family. We look at it again on March 2, 2026.", words("goals"))  # fmt: skip
        self.assertIn("practiced for 95 minutes in the last 4 weeks", words("practice"))
        self.assertIn("No practice has been recorded", words("practice", practice=0.0))
        self.assertEqual(words("practice", practice=None), text_of(sheet(asked(sections=("practice",)), practice=None)))
        self.assertIn("1 of 2 answers were right", words("items"))
        self.assertIn("no answer", words("items"))
        self.assertIn("lower, more than chance", words("strands"))
        self.assertIn("Please ask Ione Marsh", words("contact"))
        self.assertIn("Please ask the school", words("contact", contacts=[]))

    def test_nobody_without_results(self):
        """Facts without any result say so."""
        self.assertFalse(facts(rounds={}, threads=[]).anything)
        self.assertTrue(sheets.facts().anything)


class Long(unittest.TestCase):
    def test_one_figure_a_line(self):
        """Score, percentile and band of each result, and the strands; what is not known has no line."""
        few = thread(point(FALL, date(2025, 9, 9), 500.0, percentile=None, order=None, band=None))
        table = long_table([facts(threads=[few])], "Tide")
        lines = [(row[8], row[10], row[11]) for row in table.rows]
        self.assertEqual(lines, [(FALL, "score", 500.0), (WINTER, "strand: Story", 503.0),
                                 (WINTER, "strand: Words", 470.0)])  # fmt: skip
        self.assertEqual(table.rows[0][:8], ["S1", "Ana Reed", "Dune Primary", "4", "4 Rail", "Tide", "reading", None])
        self.assertEqual(len(table.header), len(table.rows[0]))
        whole = long_table([facts()], "Tide")
        self.assertEqual(sum(row[10] == "percentile" for row in whole.rows), 2)
