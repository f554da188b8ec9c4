"""Results of a file that may not be what they seem: twice, on another day, or beyond what the test can give."""

from collections.abc import Mapping

import polars as pl

from bodkin.exchange.questions.question import LEAVE, Answers, Choice, Item, Question, without_left, without_lines

ONCE, BOTH, KEEP, DATE, SECOND, FILE = "once", "both", "keep", "date", "second", "file"
SITTING = ["student_id", "assessment", "subject", "window", "language"]
"""What two results of one student must share to be of the same window."""

FEWEST_KNOWN = 30
"""Results of a test from which its range is known."""
BEYOND = 0.5
"""How far past the known scores, in parts of their range, a score is still taken as it is."""
LISTED = 500


def _said(row: Mapping[str, object]) -> str:
    parts = [str(row[name]) for name in ("student_id", "assessment", "subject", "window") if row[name] is not None]
    return f"{' · '.join(parts)} · {row['score']:g}"


def repeated(fresh: pl.DataFrame, every: pl.DataFrame) -> Question | None:
    """New results beside another one of the same student, test, window, language and day in the file.

    ``fresh``: rows that are not there yet, ``nth`` saying which of several; ``every``: all rows with a score.
    """
    later = fresh.filter(pl.col("nth") > 0)
    if later.is_empty():
        return None
    place = [*SITTING, "tested_on"]
    first = every.filter(pl.col("nth") == 0).select(
        *place, pl.col("line").alias("first"), pl.col("score").alias("other")
    )
    both = later.join(first, on=place, how="left", nulls_equal=True, maintain_order="left")
    items, lines = [], {}
    for row in both.head(LISTED).iter_rows(named=True):
        key = str(row["line"])
        day = f" on {row['tested_on']}" if row["tested_on"] is not None else " without a date"
        if row["score"] == row["other"]:
            said = f"{_said(row)}{day} stands in line {row['first']} already"
        else:
            said = f"{_said(row)}{day}; line {row['first']} of the same day says {row['other']:g}"
        lines[key] = (row["line"], row["first"])
        choices = (
            Choice(ONCE, "the first line counts"), Choice("later", "this line counts"),
            Choice(BOTH, "two sittings: keep both"),
        )  # fmt: skip
        items.append(Item(key, said, (row["first"], row["line"]), 1, choices))

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        gone = [lines[key][answer == "later"] for key, answer in answers.items() if answer != BOTH]
        return without_lines(frame, gone)

    return Question("repeated", "lines that stand twice", items, settle)


def redated(fresh: pl.DataFrame, there: pl.DataFrame) -> Question | None:
    """New results that differ from a kept one only by their date.

    ``there``: kept results that no row of the file stands for. Answering ``date`` marks the row with the kept
    result's key in a column ``redated``.
    """
    if fresh.is_empty() or there.is_empty():
        return None
    on = [*SITTING, "score"]
    known = there.select(*on, "id", pl.col("tested_on").alias("known_on")).unique(on, keep="last", maintain_order=True)
    both = fresh.join(known, on=on, nulls_equal=True, maintain_order="left")
    if both.is_empty():
        return None
    items, met = [], {}
    for row in both.unique("id", keep="first", maintain_order=True).iter_rows(named=True):
        key = str(row["line"])
        met[key] = (row["line"], row["id"])
        was, now = (row[name] or "no date" for name in ("known_on", "tested_on"))
        choices = (
            Choice(DATE, "the same sitting: take this date"), Choice(SECOND, "another sitting"),
            Choice(LEAVE, "leave out"),
        )  # fmt: skip
        items.append(Item(key, f"{_said(row)} is known from {was}, here from {now}", (row["line"],), 1, choices))

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        frame = without_lines(frame, [met[key][0] for key, answer in answers.items() if answer == LEAVE])
        moved = dict(met[key] for key, answer in answers.items() if answer == DATE)
        if not moved:
            return frame
        return frame.with_columns(redated=pl.col("line").replace_strict(moved, default=None, return_dtype=pl.Int64))

    return Question("redated", "results that differ from a known one only by their date", items, settle)


def corrected_by_hand(changed: pl.DataFrame) -> Question | None:
    """Results whose score somebody corrected, where the file says something else than it said before.

    ``changed``: rows with ``score_before``, what the file said, and ``score_now``, what stands there by hand.
    """
    differs = pl.col("score_now").is_not_null() & (pl.col("score") != pl.col("score_before"))
    other = changed.filter(differs & (pl.col("score") != pl.col("score_now")))
    choices = (Choice(KEEP, "keep the correction"), Choice(FILE, "take what the file says"))
    said = {row["line"]: row["score_before"] for row in other.iter_rows(named=True)}
    items = [
        Item(
            str(row["line"]),
            f"{_said(row)}, but {row['score_now']:g} was put in by hand (the file said {row['score_before']:g})",
            (row["line"],), 1, choices,
        )
        for row in other.iter_rows(named=True)
    ]  # fmt: skip

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        kept = {int(key): said[int(key)] for key, answer in answers.items() if answer == KEEP}
        value = pl.col("line").replace_strict(kept, default=None, return_dtype=pl.Float64)
        return frame.with_columns(score=pl.coalesce(value, "score")) if kept else frame

    return Question("corrected", "results whose score was corrected by hand", items, settle) if items else None


def beyond_range(changing: pl.DataFrame, there: pl.DataFrame, norms: pl.DataFrame) -> Question | None:
    """New and changed results with a score beyond what the test has given so far, or its norms expect.

    ``norms``: assessment, subject, mean, sd. A test with few results and no norms has no known range.
    """
    test = ["assessment", "subject"]
    spans = there.group_by(test).agg(
        pl.len().alias("n"), pl.col("score").min().alias("low"), pl.col("score").max().alias("high")
    )
    spans = spans.filter(pl.col("n") >= FEWEST_KNOWN).select(
        *test,
        (pl.col("low") - BEYOND * (pl.col("high") - pl.col("low"))).alias("low"),
        (pl.col("high") + BEYOND * (pl.col("high") - pl.col("low"))).alias("high"),
    )
    expected = norms.group_by(test).agg(
        (pl.col("mean") - 6 * pl.col("sd")).min().alias("low"), (pl.col("mean") + 6 * pl.col("sd")).max().alias("high")
    )
    known = pl.concat([spans, expected]).group_by(test).agg(pl.col("low").min(), pl.col("high").max())
    if known.is_empty():
        return None
    met = changing.join(known, on=test, maintain_order="left")
    wild = met.filter((pl.col("score") < pl.col("low")) | (pl.col("score") > pl.col("high")))
    choices = (Choice(KEEP, "it is right"), Choice(LEAVE, "leave out"))
    items = [
        Item(
            str(row["line"]),
            f"{_said(row)} is far outside the scores known of this test ({row['low']:.0f} to {row['high']:.0f})",
            (row["line"],), 1, choices,
        )
        for row in wild.iter_rows(named=True)
    ]  # fmt: skip

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        return without_lines(frame, [int(key) for key, answer in answers.items() if answer == LEAVE])

    return Question("beyond_range", "scores beyond the test's range", items, settle) if items else None


def window_and_date(rows: pl.DataFrame) -> Question | None:
    """Results whose date is of another window or school year than the one they name, or of no window at all.

    ``rows``: ``file_window`` as the file says, ``dated_in`` what the date is of where that is something else.
    """
    groups = rows.filter(pl.col("dated_in").is_not_null()).group_by("file_window", "dated_in", maintain_order=True).agg(
        pl.len().alias("n"), pl.col("line"), pl.col("tested_on").first().alias("day")
    )  # fmt: skip
    choices = (Choice(DATE, "the date is right"), Choice(LEAVE, "leave out"))
    items, lines = [], {}
    for named, dated, n, at, day in groups.iter_rows():
        key = f"{named} {dated}"
        lines[key] = at
        who, are = ("1 result names", "is") if n == 1 else (f"{n} results name", "are")
        said = f"{who} {named} and {are} dated in {dated}, such as {day:%B} {day.day}, {day.year}"
        items.append(Item(key, said, tuple(at[:5]), n, choices))

    def settle(frame: pl.DataFrame, answers: Answers) -> pl.DataFrame:
        return without_left(frame, answers, lines)

    return (
        Question("window_and_date", "results dated in another window than they name", items, settle) if items else None
    )
