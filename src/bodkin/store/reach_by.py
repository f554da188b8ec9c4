"""The ways in which students can be in somebody's reach; each is one question to the tables."""

from enum import StrEnum


class ReachBy(StrEnum):
    """Where the students come from whom somebody may know of."""

    DISTRICT = "the whole district"
    SCHOOL = "the person's school"
    SECTIONS = "the person's classes"
    ASSIGNED_GRADES = "grades of a school that the person looks after"
    GROUPS = "running groups that the person leads"
