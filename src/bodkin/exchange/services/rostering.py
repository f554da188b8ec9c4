"""OneRoster 1.2 over HTTP: the same rows as in the files, as the objects of the service, and fetched from it.

Source: 1EdTech OneRoster 1.2, Rostering Service, REST Binding: members are named as the columns are,
a column that ends in SourcedId is a reference, several values are a list; written down from memory.
"""

import time
from collections.abc import Iterator, Mapping, Sequence
from typing import Any

import httpx
import polars as pl

from bodkin.core.errors import ServiceAway
from bodkin.exchange.changes.plans import ReportProgress, no_progress
from bodkin.exchange.oneroster.files import COMMON, FIELD, FILES, OURS, columns_of, identifiers, listed, write_package
from bodkin.exchange.oneroster.package_rows import made_id
from bodkin.exchange.services.addresses import NoSuchService

COLLECTIONS = ("orgs", "academicSessions", "courses", "classes", "users", "enrollments", "demographics")
"""Collections that are fetched, with the name of the member that holds their objects."""

ROSTER_SCOPE = "https://purl.imsglobal.org/spec/or/v1p2/scope/roster.readonly"
PATH = "/ims/oneroster/rostering/v1p2"
PAGE = 500
SECONDS, ANSWER_SECONDS, MOST_SECONDS = 20.0, 60.0, 1800.0
"""Seconds of silence, for one answer, and for the whole roster after which a service is given up."""
LARGEST_ANSWER = 64 << 20
MOST_PAGES = 20_000
"""Pages after which a service that never ends is given up."""

MANY = {"termSourcedIds", "agentSourcedIds", "resourceSourcedIds"}
LISTS = {"grades", "subjects", "subjectCodes", "periods"}
TRUTHS = {"enabledUser", "primary"}
MEMBERS = {"schoolYearSourcedId": "schoolYear", "termSourcedIds": "terms", "agentSourcedIds": "agents"}


class SourceFault(ServiceAway):
    """A rostering service that does not answer, or not as the specification says."""


def _member(column: str) -> str:
    return MEMBERS.get(column) or column.removesuffix("SourcedId").removesuffix("SourcedIds")


def _object(row: Mapping[str, Any]) -> dict[str, Any]:
    made: dict[str, Any] = {"sourcedId": row["sourcedId"], "status": row.get("status") or "active"}
    ours = {}
    for column, value in row.items():
        if value is None or column in ("line", *COMMON):
            continue
        if column.startswith("metadata."):
            ours[column.removeprefix("metadata.")] = value
        elif column in MANY:
            made[_member(column)] = [{"sourcedId": part} for part in value.split(",")]
        elif column.endswith("SourcedId"):
            made[_member(column)] = {"sourcedId": value}
        elif column in LISTS:
            made[column] = value.split(",")
        elif column in TRUTHS:
            made[column] = value == "true"
        elif column == "userIds":
            made[column] = [{"type": kind, "identifier": one} for kind, one in identifiers(value)]
        else:
            made[column] = value
    if ours:
        made["metadata"] = ours
    return made


def to_json(collection: str, frames: Mapping[str, pl.DataFrame]) -> list[dict[str, Any]]:
    """The objects of a collection from rows of the files; a user holds its roles."""
    if collection not in frames:
        return []
    objects = [_object(row) for row in frames[collection].iter_rows(named=True)]
    if collection == "users" and "roles" in frames:
        roles: dict[str, list[dict[str, Any]]] = {}
        for row in frames["roles"].iter_rows(named=True):
            role = _object(row)
            roles.setdefault(role.pop("user")["sourcedId"], []).append(
                {name: value for name, value in role.items() if name not in ("sourcedId", "status")}
            )
        for one in objects:
            one["roles"] = roles.get(one["sourcedId"], [])
    return objects


def _cell(column: str, record: Mapping[str, Any]) -> str | None:
    if column.startswith("metadata."):
        value = (record.get("metadata") or {}).get(column.removeprefix("metadata."))
    elif column in MANY:
        ends = [one for one in record.get(_member(column)) or [] if isinstance(one, Mapping)]
        value = listed([str(one.get("sourcedId")) for one in ends])
    elif column.endswith("SourcedId"):
        one = record.get(_member(column))
        value = one.get("sourcedId") if isinstance(one, Mapping) else None
    elif column == "userIds":
        pairs = [one for one in record.get(column) or [] if isinstance(one, Mapping)]
        value = listed([f"{{{one.get('type')}:{one.get('identifier')}}}" for one in pairs])
    else:
        value = record.get(column)
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Sequence) and not isinstance(value, str):
        value = listed([str(one) for one in value])
    return str(value) if value not in (None, "") else None


def _frame(name: str, objects: Sequence[Mapping[str, Any]]) -> pl.DataFrame:
    columns = columns_of(name)
    if name == "demographics":
        more = {f"metadata.{key}" for one in objects for key in one.get("metadata") or {}}
        columns = [*columns, *sorted(key for key in more if key.startswith(OURS + FIELD))]
    cells = {column: [_cell(column, one) for one in objects] for column in columns if column not in COMMON}
    cells["sourcedId"] = [str(one["sourcedId"]) for one in objects]
    # What is in the service now is a bulk file, but for what it marks for deletion.
    cells["status"] = ["tobedeleted" if one.get("status") == "tobedeleted" else None for one in objects]
    cells["dateLastModified"] = [None] * len(objects)
    return pl.DataFrame({column: pl.Series(cells[column], dtype=pl.String) for column in columns})


def from_json(collections: Mapping[str, Sequence[Mapping[str, Any]]]) -> dict[str, pl.DataFrame]:
    """Rows of the files from the objects of a service."""
    frames = {name: _frame(name, collections.get(name, ())) for name in COLLECTIONS}
    roles = []
    for user in collections.get("users", ()):
        for place, role in enumerate(user.get("roles") or []):
            key = made_id("role", user["sourcedId"], place)
            roles.append({**role, "sourcedId": key, "user": {"sourcedId": user["sourcedId"]}})
    frames["roles"] = _frame("roles", roles)
    return {name: frames[name] for name in FILES if name in frames}


class _Patient:
    """A client whose patience ends: an answer that drips in is given up, and so is one that is far too large."""

    def __init__(self, client: httpx.Client) -> None:
        self._client = client
        self._until = time.monotonic() + MOST_SECONDS

    def ask(self, method: str, path: str, **more: Any) -> httpx.Response:
        """The whole answer to a request. Raises SourceFault where it takes too long or never ends."""
        began, content = time.monotonic(), bytearray()
        with self._client.stream(method, path, **more) as answer:
            for part in answer.iter_bytes():
                content += part
                now = time.monotonic()
                if now - began > ANSWER_SECONDS or now > self._until:
                    raise SourceFault("The rostering service answers too slowly; Bodkin has stopped waiting.")
                if len(content) > LARGEST_ANSWER:
                    raise SourceFault("The rostering service sends more in one answer than any roster needs.")
        headers = {name: value for name, value in answer.headers.items() if name.lower() != "content-encoding"}
        return httpx.Response(answer.status_code, headers=headers, content=bytes(content), request=answer.request)


def fetch(
    address: str,
    client_id: str,
    client_secret: str,
    progress: ReportProgress = no_progress,
    transport: httpx.BaseTransport | None = None,
) -> bytes:
    """The whole roster of a service as a package of files.

    Raises SourceFault, in words, for a service that is away, refuses, or answers with something else.
    """
    try:
        made = httpx.Client(base_url=address, timeout=SECONDS, transport=transport, follow_redirects=False)
    except (httpx.InvalidURL, ValueError):
        raise NoSuchService(address) from None
    with made as plain:
        client = _Patient(plain)
        try:
            asked = {"grant_type": "client_credentials", "scope": ROSTER_SCOPE}
            answer = client.ask("POST", "token", data=asked, auth=(client_id, client_secret))
            token = _checked(answer, "sign in")["access_token"]
            headers = {"Authorization": f"Bearer {token}"}
            found = {}
            for name in COLLECTIONS:
                found[name] = list(_pages(client, name, headers, progress))
            return write_package(from_json(found), address)
        except httpx.HTTPError as error:
            # Why it does not would tell which ports of which machines are open.
            raise NoSuchService(address) from error
        except (KeyError, TypeError, AttributeError, ValueError, RecursionError) as error:
            told_ = f"The rostering service at {address} sent an answer that does not follow OneRoster 1.2."
            raise SourceFault(told_) from error


def _pages(
    client: "_Patient", name: str, headers: dict[str, str], progress: ReportProgress
) -> Iterator[Mapping[str, Any]]:
    offset = 0
    for _ in range(MOST_PAGES):
        paged = {"limit": PAGE, "offset": offset}
        answer = client.ask("GET", f"{PATH.lstrip('/')}/{name}", params=paged, headers=headers)
        objects = _checked(answer, f"give its {name}")[name]
        all_ = int(answer.headers.get("X-Total-Count", 0))
        for one in objects:
            if not isinstance(one, Mapping) or "sourcedId" not in one:
                raise ValueError(name)
            yield one
        offset += len(objects)
        progress(f"Fetching {name}", offset, all_)
        if not objects or ('rel="next"' not in answer.headers.get("Link", "") and offset >= all_):
            return
    raise SourceFault(f"The rostering service keeps sending {name} and does not stop.")


def _checked(answer: httpx.Response, act: str) -> Any:
    if answer.status_code in (401, 403):
        raise SourceFault(f"The rostering service does not let Bodkin {act}: check the client's name and secret.")
    if answer.status_code != 200:
        raise SourceFault(f"The rostering service cannot {act} (status {answer.status_code}).")
    return answer.json()
