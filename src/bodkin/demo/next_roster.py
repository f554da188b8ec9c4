"""The roster as the invented student system has it a day later: a few have come, moved, or changed their name."""

from collections.abc import Mapping

import polars as pl

from bodkin.exchange.oneroster.package_rows import made_id

ARRIVALS = (("Tamsin", "Eastlake", "SR90001"), ("Rafe", "Quaresma", "SR90002"), ("Yara", "Holm", "SR90003"))
CLASS, OTHER_CLASS = "4 Curlew", "4 Avocet"
SINCE = "2027-02-15"


def _more(frame: pl.DataFrame, rows: list[dict[str, str | None]]) -> pl.DataFrame:
    full = [{name: row.get(name) for name in frame.columns} for row in rows]
    return pl.concat([frame, pl.DataFrame(full, schema=frame.schema)])


def next_roster(frames: Mapping[str, pl.DataFrame], year: str) -> dict[str, pl.DataFrame]:
    """The roster's files a day later: three new students, two who change their class, one new family name."""
    made = dict(frames)
    sessions = frames["academicSessions"]
    of_year = sessions.filter((pl.col("title") == year) & (pl.col("type") == "schoolYear"))["sourcedId"].item()
    rooms = frames["classes"].filter(pl.col("termSourcedIds") == of_year)
    room, other = (rooms.row(by_predicate=pl.col("title") == name, named=True) for name in (CLASS, OTHER_CLASS))
    users, roles, places = [], [], []
    for given, family, number in ARRIVALS:
        key = made_id("student", number)
        school = room["schoolSourcedId"]
        users.append(
            {"sourcedId": key, "enabledUser": "true", "username": number, "givenName": given, "familyName": family,
             "identifier": number, "grades": "04", "primaryOrgSourcedId": school}
        )  # fmt: skip
        roles.append(
            {"sourcedId": made_id("role", key), "userSourcedId": key, "roleType": "primary", "role": "student",
             "beginDate": SINCE, "orgSourcedId": school}
        )  # fmt: skip
        places.append(_place(room, key))
    inside = (pl.col("classSourcedId") == room["sourcedId"]) & (pl.col("role") == "student")
    movers = frames["enrollments"].filter(inside)["userSourcedId"].sort()[:2].to_list()
    moves = inside & pl.col("userSourcedId").is_in(movers)
    enrolments = frames["enrollments"].with_columns(
        endDate=pl.when(moves).then(pl.lit("2027-02-12")).otherwise(pl.col("endDate"))
    )
    renamed = frames["enrollments"].filter(inside)["userSourcedId"].sort()[5]
    made["users"] = _more(
        frames["users"].with_columns(
            familyName=pl.when(pl.col("sourcedId") == renamed)
            .then(pl.col("familyName") + "-Wray")
            .otherwise(pl.col("familyName"))
        ),
        users,
    )
    made["roles"] = _more(frames["roles"], roles)
    made["enrollments"] = _more(enrolments, [*places, *(_place(other, who) for who in movers)])
    return made


def _place(room: dict[str, str], who: str) -> dict[str, str | None]:
    return {
        "sourcedId": made_id("enrolment", room["sourcedId"], who, SINCE), "classSourcedId": room["sourcedId"],
        "schoolSourcedId": room["schoolSourcedId"], "userSourcedId": who, "role": "student", "primary": "false",
        "beginDate": SINCE, "endDate": None,
    }  # fmt: skip
