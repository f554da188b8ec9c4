"""Standards that rest on one another: what to teach first, the path below one, and what lies beyond."""

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import date
from typing import Literal, TypeAlias

import networkx as nx

from bodkin.core.errors import BadInput

Graph: TypeAlias = "nx.DiGraph[str]"
"""Standards as nodes, with an edge from each prerequisite to the standard that rests on it."""


def prerequisite_graph(rests_on: Mapping[str, Collection[str]]) -> Graph:
    """A graph with an edge from each prerequisite to the standard that rests on it.

    ``rests_on``: standard to its direct prerequisites. Raises BadInput that names the cycle
    where standards rest on themselves.
    """
    graph: nx.DiGraph[str] = nx.DiGraph()
    graph.add_nodes_from(rests_on)
    graph.add_edges_from((below, standard) for standard, belows in rests_on.items() for below in belows)
    try:
        cycle = nx.find_cycle(graph)
    except nx.NetworkXNoCycle:
        return graph
    path = " -> ".join([str(cycle[0][0]), *(str(edge[1]) for edge in cycle)])
    raise BadInput(f"standards rest on themselves: {path}")


def later_standards(graph: Graph, reach: Collection[str]) -> dict[str, int]:
    """How many later standards in reach rest on each standard, directly or not.

    ``reach``: standards that count as later, such as this year's and the next's.
    """
    wanted = set(reach)
    return {node: len(nx.descendants(graph, node) & wanted) for node in graph}


def teaching_order(graph: Graph) -> dict[str, int]:
    """The place of each standard when all are taught from the ground up, 0 for the first.

    By depth, the longest way down to a standard that rests on nothing; of one depth by name.
    """
    depth: dict[str, int] = {}
    for node in nx.topological_sort(graph):
        depth[node] = 1 + max((depth[below] for below in graph.predecessors(node)), default=-1)
    return {node: at for at, node in enumerate(sorted(depth, key=lambda node: (depth[node], node)))}


def standards_below(graph: Graph, standard: str) -> list[str]:
    """Everything a standard rests on, in teaching order from the deepest, the standard last.

    Raises BadInput for a standard that is not in the graph.
    """
    if standard not in graph:
        raise BadInput(f'there is no standard "{standard}"')
    order = teaching_order(graph)
    return sorted(nx.ancestors(graph, standard) | {standard}, key=order.__getitem__)


@dataclass(frozen=True, slots=True)
class Weighed:
    """A skill with how many lack it, how many later standards rest on it, and their product."""

    standard: str
    lacking: int
    later: int
    weight: int


def weigh(graph: Graph, lacking: Mapping[str, int], reach: Collection[str]) -> list[Weighed]:
    """Skills by what teaching them would help most, the heaviest first.

    Weight: students who lack it x (1 + later standards in reach that rest on it, directly or
    not). ``lacking``: students who lack each standard; ``reach``: standards that count as later,
    such as this year's and the next's. Ties: the standard with fewer later ones, then its name.
    Raises BadInput for a standard that is not in the graph.
    """
    wanted = set(reach)
    rows = []
    for standard, students in lacking.items():
        if standard not in graph:
            raise BadInput(f'there is no standard "{standard}"')
        later = len(nx.descendants(graph, standard) & wanted)
        rows.append(Weighed(standard, students, later, students * (1 + later)))
    return sorted(rows, key=lambda row: (-row.weight, row.later, row.standard))


def path_to(graph: Graph, standard: str, mastered: Collection[str]) -> list[str]:
    """Unmastered standards below one, in teaching order from the deepest, the standard last.

    Depth is the longest way down to a standard that rests on nothing; of one depth by name.
    Raises BadInput for a standard that is not in the graph.
    """
    held = set(mastered)
    return [step for step in standards_below(graph, standard) if step not in held]


def beyond(graph: Graph, mastered: Collection[str], candidates: Collection[str]) -> list[str]:
    """Standards not yet met whose prerequisites are all held, by name: what comes next for those ahead."""
    held = set(mastered)
    ready = (one for one in candidates if one in graph and one not in held)
    return sorted(one for one in ready if all(below in held for below in graph.predecessors(one)))


@dataclass(frozen=True, slots=True)
class Priority:
    """A standard of one student: points missed on it, later standards that rest on it, their product."""

    standard: str
    missed: float
    later: int
    weight: float


def priorities(graph: Graph, missed: Mapping[str, float], reach: Collection[str]) -> list[Priority]:
    """Where most is to be gained for one student: points missed x (1 + later standards in reach).

    ``missed``: points missed on each standard, 0 or more; a standard without a miss is left out, and so is
    one on which it is not known (NaN).
    Order and errors as :func:`weigh`; raises BadInput for negative points too.
    """
    wanted = set(reach)
    rows = []
    for standard, points in missed.items():
        if standard not in graph:
            raise BadInput(f'there is no standard "{standard}"')
        if points < 0:
            raise BadInput(f'points missed on "{standard}" must be 0 or more, got {points:g}')
        later = len(nx.descendants(graph, standard) & wanted)
        if points > 0:
            rows.append(Priority(standard, points, later, points * (1 + later)))
    return sorted(rows, key=lambda row: (-row.weight, row.later, row.standard))


Taught = Literal["before", "now", "later", "never"]


def when_taught(spans: Collection[tuple[date, date]], today: date) -> Taught:
    """Whether a class's calendar had a standard before a day, has it now, will have it, or never.

    ``spans``: first and last day of each time it is taught, both included; taught more than once, now comes
    before later and later before what is over. Raises BadInput for a span that ends before it begins.
    """
    for first, last in spans:
        if last < first:
            raise BadInput(f"the teaching ends ({last}) before it begins ({first})")
    if any(first <= today <= last for first, last in spans):
        return "now"
    return "later" if any(first > today for first, _ in spans) else "before" if spans else "never"
