"""The rail: one live line per step of the round."""

from collections.abc import Collection
from dataclasses import dataclass

from pydantic import BaseModel

from bodkin.answers.check.step import CheckLine
from bodkin.answers.comparison.comparison import quoted_order
from bodkin.answers.comparison.summary_parts import Summary
from bodkin.answers.home.needs_findings import NeedsLine
from bodkin.answers.words import percent, plural
from bodkin.policy.rights import NOT_VISIBLE


class RailStep(BaseModel):
    """A step of the round with its line on the rail and its sentence on Home."""

    key: int
    name: str
    path: str
    question: str
    line: str
    finding: str


_STEPS = (
    ("Check", "check", "Are the results complete, and can we believe them?"),
    ("Compare", "compare", "Where do students stand, and what moved between windows?"),
    ("Growth", "growth", "Did they grow as much as could be expected?"),
    ("Needs", "needs", "What exactly should be taught, and to whom?"),
    ("Groups", "groups", "Who works with whom, on what?"),
    ("Follow-up", "follow-up", "Is the help working?"),
    ("Share", "share", "What do the student, the family, the team take away?"),
)

WORKING = "…"


def _compare(summary: Summary | None) -> tuple[str, str]:
    if summary is not None and not summary.counts.from_ and summary.counts.to and len(summary.bands) > 1:
        # One window alone has no moves; it has a standing.
        quoted = summary.bands[quoted_order(len(summary.bands)) - 1]
        share = percent(quoted.to_at_or_above)
        finding = f"{share} of {plural(summary.counts.to, 'student')} are at {quoted.band} or above."
        return f"{share} at {quoted.band} or above", finding
    if summary is None or summary.movement is None or not summary.counts.matched:
        return "nothing to compare yet", "There is nothing to compare yet."
    moved = summary.movement
    return (
        f"{moved.up:,} up, {moved.down:,} down",
        f"{plural(moved.up or 0, 'student')} moved up a band or more and {moved.down:,} moved down;"
        f" {moved.same:,} stayed.",
    )


def _growth(summary: Summary | None) -> tuple[str, str]:
    if summary is None or not summary.growth.n:
        return "no growth to judge yet", "Growth cannot be judged yet."
    growth = summary.growth
    return (
        f"{percent(growth.met_share)} met expected",
        f"{growth.met_n:,} of {growth.n:,} students grew as much as expected or more ({percent(growth.met_share)}).",
    )


@dataclass(frozen=True, slots=True)
class GroupsLine:
    """How many groups run, and what their rules say: such as ``3 meet the exit rule, 5 wait for a place``."""

    running: int
    rules: str

    @property
    def told(self) -> tuple[str, str]:
        """The line of the rail, and the sentence of Home."""
        if not self.running:
            return "none running", "No group is running today."
        running = f"{plural(self.running, 'group is', 'groups are')} running today"
        if self.rules:
            return self.rules, f"{running}: {self.rules}."
        return plural(self.running, "running", "running"), f"{running}."


@dataclass(frozen=True, slots=True)
class FollowLine:
    """What is due over all running groups; ``running``: how many there are."""

    change: int
    higher: int
    running: int

    @property
    def told(self) -> tuple[str, str]:
        """The line of the rail, and the sentence of Home."""
        if not self.running:
            return "no group to follow", "No group is running today."
        parts = []
        if self.change:
            parts.append(f"{self.change:,} {'needs' if self.change == 1 else 'need'} other help")
        if self.higher:
            parts.append(f"{self.higher:,} could aim higher")
        if not parts:
            return "no decision due", "Nobody in a group needs a decision now."
        return ", ".join(parts), f"In the running groups {' and '.join(parts)}."


def share_told(made: int) -> tuple[str, str]:
    """The line of Share, and its sentence; ``made``: students of the sentence with pages since its later window."""
    if not made:
        return "no pages yet", "No pages have been made for these students since the window began."
    return f"{made:,} with pages", f"Pages were made for {plural(made, 'student')} since the window began."


def rail(
    summary: Summary | None,
    groups: GroupsLine,
    check: CheckLine | None = None,
    needs: NeedsLine | None = None,
    follow: FollowLine | None = None,
    pages_made: int = 0,
    hidden: Collection[str] = (),
) -> list[RailStep]:
    """The seven steps with their lines for a scope; ``None`` where there are no results.

    ``hidden``: steps of whose line the person's role sees nothing.
    """
    checked = (check.line, check.finding) if check else ("nothing to check yet", "There is nothing to check yet.")
    lacking = (needs.line, needs.finding) if needs else ("no evidence yet", "There is no evidence on needs yet.")
    lines = {
        "check": checked,
        "compare": _compare(summary),
        "growth": _growth(summary),
        "needs": lacking,
        "groups": groups.told,
        "follow-up": follow.told if follow else (WORKING, "Looking at weekly results …"),
        "share": share_told(pages_made),
    } | dict.fromkeys(hidden, (NOT_VISIBLE, f"This is {NOT_VISIBLE}."))
    return [
        RailStep(
            key=key, name=name, path=path, question=question, line=lines[path][0], finding=lines[path][1]
        )
        for key, (name, path, question) in enumerate(_STEPS, start=1)
    ]  # fmt: skip
