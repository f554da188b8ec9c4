"""Two measures at once: which there are to choose, and the students by both."""

from dataclasses import dataclass

from pydantic import BaseModel

from bodkin.answers.comparison.comparison import Comparison
from bodkin.answers.follow_up.two_measures import TwoAnswer, TwoFound, two_measures
from bodkin.answers.scope.choices import measures
from bodkin.answers.scope.scope import Scope
from bodkin.answers.scope.sentence import measure_title
from bodkin.api.context import Context
from bodkin.core.errors import BadInput, NotFound
from bodkin.store.reads.assessments import all_tests


class MeasureOffer(BaseModel):
    """A measure that can be one of the two: a test, or a strand of the sentence's test."""

    key: str
    title: str


class TwoSeen(TwoAnswer):
    """The answer with the measures to choose from and those that were taken."""

    offers: list[MeasureOffer]
    first: str
    second: str


@dataclass(frozen=True, slots=True)
class TwoTaken:
    """Two measures as they were found, with the measures on offer and those that were taken."""

    found: TwoFound
    offers: list[MeasureOffer]
    first: str
    second: str

    @property
    def answer(self) -> TwoSeen:
        """What the screen gets."""
        return TwoSeen.model_construct(
            **dict(self.found.whole), offers=self.offers, first=self.first, second=self.second
        )


def _title(key: str) -> str:
    assessment, subject, strand = (*key.split("|"), "")[:3]
    return f"{strand}, {assessment}" if strand else measure_title(assessment, subject)


def _titles(first: str, second: str) -> tuple[str, str]:
    """What the two measures are called beside each other: of one test by subject or strand alone."""
    a, b = first.split("|"), second.split("|")
    if a[0] != b[0]:
        return _title(first), _title(second)
    one, other = (parts[2] if len(parts) > 2 else parts[1].capitalize() for parts in (a, b))
    return one, other


def _offers(context: Context, scope: Scope) -> list[MeasureOffer]:
    """The sentence's test and its strands, then the other tests with results of students in reach."""
    own = f"{scope.assessment}|{scope.subject}"
    strands = [f"{own}|{name}" for name in context.strands(scope).names]
    kinds = all_tests(context.session)
    others = [
        f"{one.assessment}|{one.subject}"
        for one in measures(context.table, context.reach)
        if (one.assessment, one.subject) != (scope.assessment, scope.subject)
        and (one.assessment, one.subject) in kinds
        and kinds[one.assessment, one.subject].kind in ("adaptive", "benchmark", "probe", "reasoning")
    ]
    return [MeasureOffer(key=key, title=_title(key)) for key in (own, *others, *strands)]


def _compared(context: Context, scope: Scope, key: str) -> Comparison:
    """A measure over the sentence's windows; weekly results by the windows' days."""
    assessment, subject, strand = (*key.split("|"), "")[:3]
    asked = {"assessment": assessment, "subject": subject, "strand": strand or None, "by": None, "by2": None,
             "matched": False, "language": None}  # fmt: skip
    test = all_tests(context.session).get((assessment, subject))
    if test is not None and test.kind == "probe":
        for name in ("from_window", "to_window"):
            days = context.table.calendar.windows.get(getattr(scope, name))
            if days is not None:
                asked[name] = f"{days[0].isoformat()}..{days[1].isoformat()}"
    return context.work_out(scope.model_copy(update=asked)).comparison


def two_taken(context: Context, scope: Scope, first: str | None, second: str | None) -> TwoTaken:
    """Students by two measures, the sentence's test and another one where none is named.

    Raises NotFound for a measure that is not offered, BadInput where there are not two.
    """
    offers = _offers(context, scope)
    keys = [one.key for one in offers]
    for name, key in (("first", first), ("second", second)):
        if key is not None and key not in keys:
            raise NotFound(f"{name}: there is no such measure.")
    a = first or keys[0]
    b = second or next((key for key in keys if key != a), None)
    if b is None or a == b:
        raise BadInput("second: choose another measure than the first")
    titles = _titles(a, b)
    found = two_measures(_compared(context, scope, a), _compared(context, scope, b), titles, context.names)
    return TwoTaken(found, offers, a, b)
