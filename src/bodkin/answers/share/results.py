"""Sections about results: growth, standing, the path so far, parts of the test, items, all results."""

from collections.abc import Sequence
from datetime import date

from bodkin.answers.comparison.norms.threads import Thread, ThreadPoint
from bodkin.answers.comparison.step_answer import StudentRow
from bodkin.answers.share.blocks import Block, Grid, LaneMark, PathCut, PathMark, PathPoint, StepsMark, Text
from bodkin.answers.share.facts import Facts, Measure
from bodkin.answers.share.language import Language
from bodkin.core.windows import parse_window

GAP_DAYS = 250
"""Days between two results from which on a path is left open."""


def test_name(language: Language, measure: Measure) -> str:
    """A test as the pages call it: the subject in their language, the test's own name beside it."""
    return language.word("page", "test", subject=language.subject(measure[1]).capitalize(), test=measure[0])


def _growth_words(facts: Facts, measure: Measure, row: StudentRow, say: Language) -> list[str]:
    subject, gain, expected = say.subject(measure[1]), row["gain"], row["expected_gain"]
    gaps = {
        "subject": subject, "name": facts.given or facts.name,
        "from": say.window(facts.from_window, in_text=True), "to": say.window(facts.to_window, in_text=True),
    }  # fmt: skip
    if gain is None or row["from_score"] is None or row["to_score"] is None:
        if row["to_score"] is None and not facts.to_come:
            return [say.say("gap", windows=gaps["to"])]
        if row["from_score"] is None or row["expected_score"] is None or row["to_score"] is not None:
            return []
        low, high = row["expected_low"], row["expected_high"]
        if low is None or high is None:
            return []
        ends = {"expected": say.number(row["expected_score"]), "low": say.number(low), "high": say.number(high)}
        return [say.say("to_come", **gaps, **ends)]
    # The points said are those of the rounded scores, so that a reader can check them.
    first, now = round(row["from_score"]), round(row["to_score"])
    key = "up" if now > first else "down" if now < first else "same"
    words = [say.say(key, **gaps, points=abs(now - first), first=first, now=now)]
    if expected is not None:
        usual = "usual" if expected >= 0 else "usual_less"
        words.append(say.say(usual, points=say.number(abs(expected))))
        if row["verdict"] is not None:
            words.append(say.say(row["verdict"], name=gaps["name"]))
    return words


def _goal(facts: Facts, measure: Measure) -> float | None:
    return next((one.target for one in facts.goals if one.subject == measure[1]), None)


def growth(facts: Facts, say: Language) -> list[Block]:
    """What was gained in each subject beside what is usual, with the growth lane."""
    found: list[Block] = []
    for measure, row in facts.rounds.items():
        words = _growth_words(facts, measure, row, say)
        if not words:
            continue
        found.append(Text(text=" ".join(words)))
        now, error = row["to_score"], row["to_error"]
        if now is None or row["from_score"] is None:
            continue
        expected, goal = row["expected_score"], _goal(facts, measure)
        alt = say.word(
            "alt", "lane", subject=say.subject(measure[1]), first=say.number(row["from_score"]), now=say.number(now),
            expected="–" if expected is None else say.number(expected), to=say.window(facts.to_window),
            **{"from": say.window(facts.from_window)},
        )  # fmt: skip
        found.append(
            LaneMark(
                alt=alt, first=row["from_score"], now=now, low=None if error is None else now - error,
                high=None if error is None else now + error, expected=expected, goal=goal,
                expected_text="" if expected is None else say.word("marks", "expected", score=say.number(expected)),
                goal_text="" if goal is None else say.word("marks", "goal", score=say.number(goal)),
            )
        )  # fmt: skip
    return found


def _latest(thread: Thread, to_window: str) -> ThreadPoint | None:
    """The latest result of a thread up to a window."""
    last = parse_window(to_window)
    points = [one for one in thread.points if parse_window(one.window) <= last]
    return points[-1] if points else None


def standing(facts: Facts, say: Language) -> list[Block]:
    """The latest score of each measure as a range, its place among a hundred, its band."""
    found: list[Block] = []
    for thread in facts.threads:
        if (thread.assessment, thread.subject) not in facts.rounds:
            continue
        point = _latest(thread, facts.to_window)
        if point is None:
            continue
        # A test in two languages has two threads: the language of each is said.
        subject = say.subject(thread.subject) + (f" ({thread.language})" if thread.language else "")
        gaps = {"subject": subject, "name": facts.given or facts.name, "score": say.number(point.score)}
        if point.low is not None and point.high is not None:
            words = [say.say("score", **gaps, low=say.number(point.low), high=say.number(point.high))]
        else:
            words = [say.say("score_only", **gaps)]
        if point.percentile is not None:
            words += [say.say("rank", below=say.number(point.percentile)), say.say("rank_is_not")]
        found.append(Text(text=" ".join(words)))
        if point.band is not None and point.order is not None:
            count = len(thread.bands)
            text = say.say("band", band=point.band, order=point.order, count=count)
            found.append(StepsMark(band=point.band, order=point.order, count=count, text=text))
    return found


def _missing(thread: Thread, windows: Sequence[str]) -> list[str]:
    """Windows between the first and the last result of a thread in which there is none."""
    mine = {one.window for one in thread.points}
    ordered = sorted(mine, key=parse_window)
    first, last = parse_window(ordered[0]), parse_window(ordered[-1])
    return [one for one in windows if first < parse_window(one) < last and one not in mine]


def path(facts: Facts, say: Language, windows: Sequence[str]) -> list[Block]:
    """Each test over the years shown, over its bands; a window without a result is named."""
    found: list[Block] = []
    for thread in facts.threads:
        if len(thread.points) < 2:
            continue
        first, last = thread.points[0].on, thread.points[-1].on
        span = max(1, (last - first).days)

        def x(day: date, first: date = first, span: int = span) -> float:
            return (day - first).days / span

        points, before = [], None
        for one in thread.points:
            gap = before is None or (one.on - before).days > GAP_DAYS
            points.append(PathPoint(x=x(one.on), score=one.score, low=one.low, high=one.high, open=gap))
            before = one.on
        said = ", ".join(
            say.word("alt", "point", window=say.window(one.window), score=say.number(one.score))
            for one in thread.points
        )
        title = test_name(say, (thread.assessment, thread.subject)) + (
            f", {thread.language}" if thread.language else ""
        )
        found.append(
            PathMark(
                title=title, alt=say.word("alt", "thread", test=title, points=said), points=points,
                cuts=[
                    PathCut(band=cut.band, points=[(x(point.on), point.score) for point in cut.points])
                    for cut in thread.cuts
                ],
                ticks=[(x(one.on), say.window(one.window)) for one in thread.points],
            )
        )  # fmt: skip
        missing = _missing(thread, windows)
        if missing:
            found.append(
                Text(text=say.say("gap", windows=say.listed([say.window(one, in_text=True) for one in missing])))
            )
    return [Text(text=say.say("thread")), *found] if found else []


def strands(facts: Facts, say: Language) -> list[Block]:
    """The strands of each test at its latest window, and what is lower or higher by more than chance."""
    found: list[Block] = []
    for measure, own in facts.strands.items():
        compared = f"{say.word('table', 'compared')} {say.word('lines', own.line)}"
        rows = []
        for one in own.strands:
            words = {-1: "below", 0: "near", 1: "above"}.get(one.verdict) if one.verdict is not None else None
            score = say.number(one.score) + (" %" if own.of_points else "")
            rows.append([one.strand, score, say.word("verdicts", words) if words else "–"])
        if rows:
            found.append(Text(text=test_name(say, measure)))
            header = [say.word("table", "strand"), say.word("table", "score"), compared]
            found.append(Grid(header=header, rows=rows, numbers=[1]))
    return found


def items(facts: Facts, say: Language) -> list[Block]:
    """The student's answers on a common test, with the right ones and their standards."""
    own = facts.items
    if own is None or not own.items:
        return []
    table = say.words["table"]
    rows = [
        [one.item, one.own or table["none"], ", ".join(one.keys), table["yes"] if one.right else table["no"],
         ", ".join(one.standards)]
        for one in own.items
    ]  # fmt: skip
    right = sum(one.right for one in own.items)
    header = [table[name] for name in ("item", "own", "right", "points", "standards")]
    return [Text(text=say.say("items", right=right, all=len(own.items))), Grid(header=header, rows=rows)]


def figures(facts: Facts, say: Language) -> list[Block]:
    """Every counted result of the years shown, the latest first."""
    table = say.words["table"]
    rows = [
        (one.on, [
            test_name(say, (thread.assessment, thread.subject)) + (f", {thread.language}" if thread.language else ""),
            say.window(one.window), say.day(one.on), say.number(one.score),
            "–" if one.low is None or one.high is None else f"{say.number(one.low)}–{say.number(one.high)}",
            "–" if one.percentile is None else say.number(one.percentile), one.band or "–",
        ])
        for thread in facts.threads
        for one in thread.points
    ]  # fmt: skip
    if not rows:
        return []
    header = [table[name] for name in ("test", "window", "day", "score", "range", "percentile", "band")]
    ordered = [row for _, row in sorted(rows, key=lambda one: one[0], reverse=True)]
    return [Grid(header=header, rows=ordered, numbers=[3, 4, 5])]
