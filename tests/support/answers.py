"""Answers that take a file as it is, for tests that are about something else than what is asked of it."""

NEW_NAMES = ("test", "subject", "strand", "language", "school", "teacher", "program", "class", "measure")
AS_IT_IS = {
    "two_names": "last", "renamed": "same", "other_id": "new", "other_grade": "new", "day_outside": "keep",
    "window_and_date": "date", "repeated": "both", "redated": "second", "beyond_range": "keep", "corrected": "keep",
    "other_school": "same", "other_person": "new", **{f"new_{what}": "new" for what in NEW_NAMES},
}  # fmt: skip
