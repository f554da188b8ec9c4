"""Standards and what rests on them."""

import unittest
from datetime import date

from hypothesis import given
from hypothesis import strategies as st

from bodkin.core.errors import BadInput
from bodkin.core.needs.standards import beyond, path_to, prerequisite_graph, priorities, weigh, when_taught

RESTS_ON = {
    "decimals": ["place value", "fractions"],
    "place value": ["counting on"],
    "fractions": ["sharing"],
    "counting on": [],
    "sharing": [],
    "percent": ["decimals"],
}


class Standards(unittest.TestCase):
    graph = prerequisite_graph(RESTS_ON)

    def test_a_cycle_is_named(self):
        """The message walks round it."""
        with self.assertRaisesRegex(BadInput, "a -> b -> a|b -> a -> b"):
            prerequisite_graph({"a": ["b"], "b": ["a"]})

    def test_weight_counts_later_standards_in_reach_directly_or_not(self):
        """Ten lack counting on, on which place value, decimals and percent rest."""
        answer = weigh(self.graph, {"counting on": 10, "sharing": 12, "percent": 30}, {"decimals", "place value"})
        self.assertEqual([(row.standard, row.later, row.weight) for row in answer],
                         [("percent", 0, 30), ("counting on", 2, 30), ("sharing", 1, 24)])  # fmt: skip
        with self.assertRaisesRegex(BadInput, 'no standard "x"'):
            weigh(self.graph, {"x": 1}, [])

    def test_the_path_goes_from_the_deepest_up(self):
        """What is mastered is left out; the standard itself comes last."""
        self.assertEqual(
            path_to(self.graph, "decimals", {"sharing"}), ["counting on", "fractions", "place value", "decimals"]
        )

    def test_beyond_is_what_rests_on_what_is_held(self):
        """Decimals only once both of their prerequisites are held."""
        self.assertEqual(
            beyond(self.graph, {"place value", "fractions"}, RESTS_ON), ["counting on", "decimals", "sharing"]
        )
        self.assertEqual(beyond(self.graph, {"place value"}, ["decimals"]), [])

    @given(st.lists(st.tuples(st.integers(0, 9), st.integers(0, 9)), max_size=25), st.sets(st.integers(0, 9)))
    def test_a_path_never_teaches_before_its_ground(self, edges, mastered):
        """On random acyclic graphs every prerequisite stands before what rests on it, and none is left out.

        Reference: a walk down the plain lists, without a graph library.
        """
        rests = {str(n): [] for n in range(10)}
        for a, b in edges:
            if a < b:
                rests[str(b)].append(str(a))
        graph = prerequisite_graph(rests)
        path = path_to(graph, "9", {str(m) for m in mastered})
        place = {node: at for at, node in enumerate(path)}

        def ground(node):
            return set(rests[node]) | {deeper for below in rests[node] for deeper in ground(below)}

        self.assertEqual(set(path), (ground("9") | {"9"}) - {str(m) for m in mastered})
        for node in path:
            for below in ground(node) & set(place):
                self.assertLess(place[below], place[node])

    def test_one_student_s_priorities(self):
        """Two points missed on what three rest on weigh more than five on what nothing rests on."""
        answer = priorities(self.graph, {"percent": 5, "counting on": 2, "sharing": 0}, RESTS_ON)
        self.assertEqual([(row.standard, row.later, row.weight) for row in answer],
                         [("counting on", 3, 8), ("percent", 0, 5)])  # fmt: skip

    def test_the_teaching_calendar(self):
        """Both days of the plan belong to it; taught twice, now comes before later and later before what is over."""
        plan = [(date(2027, 2, 1), date(2027, 2, 12))]
        for day, word in ((31, "later"), (1, "now"), (12, "now"), (13, "before")):
            today = date(2027, 1, 31) if day == 31 else date(2027, 2, day)
            self.assertEqual(when_taught(plan, today), word)
        self.assertEqual(when_taught([], date(2027, 2, 1)), "never")
        again = [*plan, (date(2027, 4, 1), date(2027, 4, 2))]
        for day, word in ((date(2027, 2, 3), "now"), (date(2027, 3, 1), "later"), (date(2027, 5, 1), "before")):
            self.assertEqual(when_taught(again, day), word)
