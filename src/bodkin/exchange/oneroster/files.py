"""OneRoster 1.2 as files: the columns of each, a package read with every fault in its place, a package written.

Source: 1EdTech OneRoster 1.2, CSV Binding (file names, header names and their order, bulk files with
empty status and dateLastModified, extensions as ``metadata.`` columns); written down from memory.
"""

import io
import re
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass, field

import polars as pl

from bodkin.exchange.faults import BadFile, Fault
from bodkin.exchange.tables_in.archives import names_in, unpacked
from bodkin.exchange.tables_in.names import header_name
from bodkin.exchange.tables_in.reading import (
    DAY,
    LONG,
    NUMBER,
    TRUTH,
    Column,
    Kind,
    Layout,
    Reading,
    one_of,
    read_plain,
)
from bodkin.exchange.tables_in.sheets import open_sheet

ID = Kind(pl.String, "write at most 255 characters", longest=255)
STATUS = one_of("active", "tobedeleted")

COMMON = ("sourcedId", "status", "dateLastModified")
OURS = "metadata.bodkin."
"""Columns of our own, where the specification has no place for what we know."""
FIELD = "field."
"""Behind it the name of a field of the roster that the specification does not know."""

FILES: dict[str, tuple[str, ...]] = {
    "orgs": ("name", "type", "identifier", "parentSourcedId"),
    "academicSessions": ("title", "type", "startDate", "endDate", "parentSourcedId", "schoolYear"),
    "courses": ("schoolYearSourcedId", "title", "courseCode", "grades", "orgSourcedId", "subjects", "subjectCodes"),
    "classes": (
        "title", "grades", "courseSourcedId", "classCode", "classType", "location", "schoolSourcedId",
        "termSourcedIds", "subjects", "subjectCodes", "periods",
    ),
    "users": (
        "enabledUser", "username", "userIds", "givenName", "familyName", "middleName", "identifier", "email", "sms",
        "phone", "agentSourcedIds", "grades", "password", "userMasterIdentifier", "resourceSourcedIds",
        "preferredGivenName", "preferredMiddleName", "preferredFamilyName", "primaryOrgSourcedId", "pronouns",
    ),
    "roles": ("userSourcedId", "roleType", "role", "beginDate", "endDate", "orgSourcedId", "userProfileSourcedId"),
    "enrollments": (
        "classSourcedId", "schoolSourcedId", "userSourcedId", "role", "primary", "beginDate", "endDate",
    ),
    "demographics": (
        "birthDate", "sex", "americanIndianOrAlaskaNative", "asian", "blackOrAfricanAmerican",
        "nativeHawaiianOrOtherPacificIslander", "white", "demographicRaceTwoOrMoreRaces",
        "hispanicOrLatinoEthnicity", "countryOfBirthCode", "stateOfBirthAbbreviation", "cityOfBirth",
        "publicSchoolResidenceStatus",
    ),
    "categories": ("title", "weight"),
    "lineItems": (
        "title", "description", "assignDate", "dueDate", "classSourcedId", "categorySourcedId",
        "gradingPeriodSourcedId", "academicSessionSourcedId", "schoolSourcedId", "resultValueMin", "resultValueMax",
    ),
    "results": (
        "lineItemSourcedId", "studentSourcedId", "scoreStatus", "score", "scoreDate", "comment", "textScore",
        "classSourcedId", "inProgress", "incomplete", "late", "missing",
    ),
    "scoreScales": ("title", "type", "orgSourcedId", "courseSourcedId", "classSourcedId", "scoreScaleValue"),
}  # fmt: skip
"""Columns of each file behind the common ones, those that others rest on first."""

EXTENSIONS: dict[str, tuple[str, ...]] = {
    "academicSessions": ("daysKnown",),
    "users": ("nameKnown",),
    "roles": ("schoolYear", "grade", "homeLanguage", "role"),
    "lineItems": ("assessment", "subject", "kind", "normGroup", "window"),
    "results": (
        "grade", "teacher", "language", "standardError", "percentile", "percentileBasis", "minutes", "itemsTried",
        "itemsRight", "points", "pointsPossible", "accommodations", "dateKnown",
    ),
    "scoreScales": ("assessment", "subject", "grade", "season", "purpose", "bands"),
}  # fmt: skip

ABSENT = (
    "classResources", "courseResources", "lineItemLearningObjectiveIds", "lineItemScoreScales", "resources",
    "resultLearningObjectiveIds", "resultScoreScales", "userProfiles", "userResources",
)  # fmt: skip
"""Files of the specification that Bodkin neither writes nor reads."""

REQUIRED = {
    "orgs": ("name", "type"),
    "academicSessions": ("title", "type", "startDate", "endDate"),
    "courses": ("title",),
    "classes": ("title", "schoolSourcedId"),
    "users": ("givenName", "familyName"),
    "roles": ("userSourcedId", "role", "orgSourcedId"),
    "enrollments": ("classSourcedId", "userSourcedId", "role"),
    "lineItems": ("title",),
    "results": ("lineItemSourcedId", "studentSourcedId"),
}
"""Columns that must be filled in every row for the row to mean anything."""

KINDS: dict[str, Kind] = {
    "status": STATUS, "startDate": DAY, "endDate": DAY, "beginDate": DAY, "birthDate": DAY, "assignDate": DAY,
    "dueDate": DAY, "scoreDate": DAY, "score": NUMBER, "enabledUser": TRUTH, "primary": TRUTH, "userIds": LONG,
    "agentSourcedIds": LONG, "termSourcedIds": LONG, "description": LONG, "comment": LONG, "scoreScaleValue": LONG,
    f"{OURS}bands": LONG,
}  # fmt: skip

MANIFEST = "manifest.csv"
EARLIEST = (1980, 1, 1, 0, 0, 0)
"""Every file of a package bears the first day that a zip file knows, so that the same data are the same bytes."""


def columns_of(name: str) -> list[str]:
    """All columns of a file as we write it."""
    return [*COMMON, *FILES[name], *(f"{OURS}{more}" for more in EXTENSIONS.get(name, ()))]


def layout_of(name: str) -> Layout:
    """A file as we read it, its columns as headers are compared."""
    needed = {"sourcedId", *REQUIRED.get(name, ())}
    return Layout(
        f"{name}.csv",
        tuple(
            Column(header_name(column), KINDS.get(column, ID), required=column in needed, filled=column in needed)
            for column in columns_of(name)
        ),
    )


@dataclass(slots=True)
class Package:
    """A OneRoster package as it was read: good rows of each file by the specification's names, and faults."""

    file: str
    frames: dict[str, pl.DataFrame]
    faults: list[Fault] = field(default_factory=list)
    notices: list[str] = field(default_factory=list)
    rows: int = 0


def is_package(content: bytes) -> bool:
    """Whether a file is a zip with a OneRoster manifest in it."""
    return any(name.rsplit("/", 1)[-1].lower() == MANIFEST for name in names_in(content) or ())


def read_package(file: str, content: bytes) -> Package:
    """Every file of a package. Raises BadFile for a package that is damaged or of another version.

    Rows at fault are left out and named by file, line and column; so is a row whose sourcedId stands
    twice in its file.
    """
    parts = {
        name.rsplit("/", 1)[-1].lower(): part
        for name, part in unpacked(file, content).items()
        if not name.startswith("__MACOSX")
    }
    manifest = _manifest(file, parts.get(MANIFEST, b""))
    version = manifest.get("oneroster.version", "")
    if not version.startswith("1.2"):
        message = f'this package is OneRoster "{version or "of no version"}"; Bodkin reads 1.2'
        raise BadFile([Fault(f"{file}/{MANIFEST}", 1, "", message)])
    made = Package(file, {})
    for name in FILES:
        part = parts.get(f"{name.lower()}.csv")
        if manifest.get(f"file.{name}", "absent") == "absent" or part is None:
            if manifest.get(f"file.{name}") in ("bulk", "delta"):
                made.faults.append(
                    Fault(f"{file}/{name}.csv", 0, "", "the manifest lists this file, but it is missing")
                )
            made.frames[name] = _named(read_nothing(name), name)
            continue
        sheet = open_sheet(f"{file}/{name}.csv", part)
        more = [title for title in sheet.titles if title.startswith(f"{OURS}{FIELD}")]
        layout = layout_of(name)
        layout = Layout(layout.name, (*layout.columns, *(Column(header_name(title), ID) for title in more)))
        reading = read_plain(f"{file}/{name}.csv", sheet, layout)
        made.rows += reading.frame.height
        frame = _once(reading)
        made.faults += reading.faults
        if reading.unknown:
            made.notices.append(
                f"{name}.csv: columns that Bodkin does not keep: {', '.join(sorted(reading.unknown)[:8])}"
            )
        made.frames[name] = _named(frame, name).rename({header_name(title): title for title in more})
    strange = sorted(set(parts) - {MANIFEST} - {f"{name.lower()}.csv" for name in (*FILES, *ABSENT)})
    if strange:
        made.notices.append(f"files that Bodkin does not know: {', '.join(strange[:8])}")
    made.faults.sort()
    return made


def _manifest(file: str, part: bytes) -> dict[str, str]:
    sheet = open_sheet(f"{file}/{MANIFEST}", part, frozenset({"propertyname", "value"}))
    if not {"propertyname", "value"} <= set(sheet.header):
        message = "a manifest has the columns propertyName and value"
        raise BadFile([Fault(f"{file}/{MANIFEST}", sheet.header_line, "", message)])
    names, values = (sheet.columns[sheet.header.index(name)] for name in ("propertyname", "value"))
    return {name: value or "" for name, value in zip(names, values, strict=True) if name}


def read_nothing(name: str) -> pl.DataFrame:
    """A file without rows."""
    layout = layout_of(name)
    return pl.DataFrame(schema={"line": pl.Int64} | {column.name: column.kind.dtype for column in layout.columns})


def _once(reading: Reading) -> pl.DataFrame:
    good = reading.good()
    first = good.select("line", pl.col("line").min().over("sourcedid").alias("first"))
    again = first.filter(pl.col("line") > pl.col("first"))
    reading.faults += [
        Fault(reading.file, line, "sourcedid", f"line {before} already has this sourcedId")
        for line, before in again.iter_rows()
    ]
    return good.filter(~pl.col("line").is_in(again["line"].to_list()))


def _named(frame: pl.DataFrame, name: str) -> pl.DataFrame:
    return frame.rename({header_name(column): column for column in columns_of(name)})


def write_package(frames: Mapping[str, pl.DataFrame], system: str) -> bytes:
    """A package of bulk files; the same rows always make the same bytes."""
    rows = [("manifest.version", "1.0"), ("oneroster.version", "1.2")]
    rows += sorted(
        [(f"file.{name}", "bulk" if name in frames else "absent") for name in FILES]
        + [(f"file.{name}", "absent") for name in ABSENT]
    )
    rows += [("source.systemName", system), ("source.systemCode", "bodkin")]
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as archive:
        parts = {MANIFEST: pl.DataFrame(rows, schema=["propertyName", "value"], orient="row")}
        parts |= {f"{name}.csv": frames[name] for name in FILES if name in frames}
        for name, frame in parts.items():
            info = zipfile.ZipInfo(name, EARLIEST)
            info.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(info, frame.write_csv())
    return made.getvalue()


def listed(values: list[str]) -> str:
    """Several values in one cell, as the specification writes them."""
    return ",".join(values)


def unlisted(text: str | None) -> list[str]:
    """The values of such a cell."""
    return [part.strip() for part in (text or "").split(",") if part.strip()]


def identifiers(text: str | None) -> list[tuple[str, str]]:
    """``{state:123},{local:9}`` as pairs of type and identifier."""
    return [(kind.strip(), value.strip()) for kind, value in re.findall(r"\{([^:{}]+):([^{}]*)\}", text or "")]
