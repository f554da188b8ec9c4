"""An adult's week: slots read, double bookings, places left, minutes against what a tier requires."""

import unittest

from bodkin.answers.groups.week import WeekGroup, planned_minutes, span_of, week_answer


def group(key, slots, **more):
    about = {"adults": ("Ana",), "n": 4, "most": 6, "tier": 2, "times_a_week": None, "minutes": 30.0} | more
    return WeekGroup(id=key, name=f"Group {key}", slots=slots, **about)


class Slots(unittest.TestCase):
    def test_times_are_read_and_words_are_not(self):
        """A day and a time, with or without an end; an end before the begin and plain words are no time."""
        for slot, minutes, told in (
            ("Mon 9:00-9:45", None, (0, 540, 585)), ("Fri 13:05", 20.0, (4, 785, 805)),
            ("Wednesday 8:30 - 9:00", None, (2, 510, 540)), ("Tue 9:00", None, (1, 540, 570)),
            ("Mon 9:45-9:00", None, None), ("after lunch", 30.0, None),
        ):  # fmt: skip
            self.assertEqual(span_of(slot, minutes), told, slot)

    def test_planned_minutes(self):
        """Those of the slots; else minutes by times a week; else not known, which is not zero."""
        self.assertEqual(planned_minutes(["Mon 9:00-9:45", "Wed 9:00"], 30.0, None), 75)
        self.assertEqual(planned_minutes(["block A", "block B"], 30.0, None), 60)
        self.assertEqual(planned_minutes([], 25.0, 3), 75)
        self.assertIsNone(planned_minutes([], 25.0, None))
        self.assertIsNone(planned_minutes(["block A"], None, 3))


class Week(unittest.TestCase):
    def test_double_bookings_are_overlaps_of_one_adult(self):
        """Half an hour each from 9:00 and 9:20 overlap, from 9:30 not; another adult's do not count."""
        found = week_answer(
            [group(1, ("Mon 9:00",)), group(2, ("Mon 9:20",)), group(3, ("Mon 9:50",)),
             group(4, ("Mon 9:00",), adults=("Ben",)), group(5, ("block A",)), group(6, ("block A",))], {},
        )  # fmt: skip
        ana = next(one for one in found.adults if one.adult == "Ana")
        self.assertEqual([one.group for one in ana.meetings], [1, 2, 3, 5, 6])
        self.assertEqual([one.twice for one in ana.meetings], [True, True, False, True, True])
        self.assertEqual(len(found.double_booked), 2)
        self.assertIn("Ana meets Group 1 and Group 2 at once", found.double_booked[0])

    def test_two_adults_share_a_group_and_nobody_is_said(self):
        """A second adult has the meeting too; a group without an adult stands under that."""
        found = week_answer([group(1, ("Mon 9:00",), adults=("Ana", "Ben")), group(2, (), adults=())], {})
        self.assertEqual([one.adult for one in found.adults], ["Ana", "Ben", "no adult yet"])
        self.assertEqual(found.adults[2].without_slot, ["Group 2"])
        self.assertEqual(found.double_booked, [])

    def test_places_and_required_minutes(self):
        """Places left against the most; below the required minutes, or not known, is named; no rule, no word."""
        found = week_answer(
            [group(1, ("Mon 9:00", "Wed 9:00")), group(2, ("Mon 10:00", "Wed 10:00", "Thu 10:00")),
             group(3, (), minutes=None), group(4, (), tier=3), group(5, (), tier=None, most=None)],
            {2: 90.0},
        )  # fmt: skip
        self.assertEqual([(one.group, one.planned) for one in found.short], [(1, 60.0), (3, None)])
        self.assertEqual(found.adults[0].meetings[0].left, 2)
        self.assertIsNone(found.adults[0].minutes)
