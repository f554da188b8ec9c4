"""Every table of Bodkin; importing this module registers them all."""

from bodkin.store.tables.assessments import Assessment, Cut, GrowthNorm, Norm, Result, Strand, StrandResult
from bodkin.store.tables.base import Base
from bodkin.store.tables.groups import Group, GroupMember
from bodkin.store.tables.imports import Import, ImportChange, ImportMapping
from bodkin.store.tables.roster import (
    AssignedGrade,
    Closure,
    District,
    Enrolment,
    Person,
    Program,
    School,
    SchoolYear,
    Section,
    SectionTeacher,
    Student,
    StudentProgram,
    StudentYear,
    Window,
)

__all__ = [
    "Assessment",
    "AssignedGrade",
    "Base",
    "Closure",
    "Cut",
    "District",
    "Enrolment",
    "Group",
    "GroupMember",
    "GrowthNorm",
    "Import",
    "ImportChange",
    "ImportMapping",
    "Norm",
    "Person",
    "Program",
    "Result",
    "School",
    "SchoolYear",
    "Section",
    "SectionTeacher",
    "Strand",
    "StrandResult",
    "Student",
    "StudentProgram",
    "StudentYear",
    "Window",
]
