"""The first day: what a Bodkin without data needs, in the order in which one thing rests on another."""

from collections.abc import Mapping

from pydantic import BaseModel


class FirstStep(BaseModel):
    """One thing to bring in: its ``kinds`` of files with how many rows there are; ``done`` once there is enough."""

    key: str
    kinds: dict[str, int]
    done: bool


class LaterStep(BaseModel):
    """What a step of the round works with: kinds of files it needs and has not, and those that add to it."""

    step: str
    lacks: list[str]
    more: list[str]


class FirstDay(BaseModel):
    """What is there and what is not; ``done`` once the first steps are."""

    done: bool
    steps: list[FirstStep]
    later: list[LaterStep]


STEPS: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "calendar": (("calendar",), ("calendar",)),
    "tests": (("cuts", "norms", "growth_norms", "links"), ("cuts", "norms")),
    "people": (("students", "programs", "student_fields"), ("students",)),
    "scores": (("scores", "strand_scores"), ("scores",)),
}
"""By step: the kinds of files it takes, and those without which it is not done."""

LATER: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "check": (("scores", "calendar"), ("not_tested",)),
    "compare": (("scores", "cuts"), ("norms", "links")),
    "growth": (("scores", "norms", "growth_norms"), ("goals",)),
    "needs": (("strand_scores", "standards"), ("items", "answers", "mastery", "prerequisites")),
    "groups": (("scores",), ("strand_scores", "mastery")),
    "follow-up": (("groups", "sessions"), ("practice", "goals", "absences")),
    "student": (("scores",), ("strand_scores", "entitlements", "absences", "course_grades")),
    "share": (("scores",), ("norms", "standards")),
}
"""By step of the round: kinds of files it needs, and those that add to it."""


def first_day(rows: Mapping[str, int]) -> FirstDay:
    """What is there and what is not; ``rows``: how many rows there are of each kind of file."""
    steps = [
        FirstStep(
            key=key,
            kinds={kind: rows[kind] for kind in kinds if kind in rows},
            done=all(rows.get(kind, 0) for kind in needed),
        )
        for key, (kinds, needed) in STEPS.items()
    ]
    later = [
        LaterStep(
            step=step,
            lacks=[kind for kind in needed if not rows.get(kind, 0)],
            more=[kind for kind in more if kind in rows and not rows[kind]],
        )
        for step, (needed, more) in LATER.items()
    ]
    return FirstDay(done=all(step.done for step in steps), steps=steps, later=later)
