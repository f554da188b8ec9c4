"""Who may do what, as rows of a table; a route that stands in no row fails."""

import unittest

from fastapi import APIRouter

from bodkin.api.app import build
from bodkin.policy.rights import UNDO, Right
from bodkin.policy.roles import ROLES, may
from bodkin.store.writes.undo import KINDS
from tests.api.application import SCOPE, all_signed_in, application, description, nobody, signed_in
from tests.support import stage
from tests.support.extent import extent

EVERYONE = {"coach", "school_lead", "teacher", "interventionist", "aide"}
NOT_AIDES = EVERYONE - {"aide"}
COACH = {"coach"}
LEADS = {"coach", "school_lead"}
NO_ONE_NEEDED = None

GROUP = {"name": "", "focus": "", "first_day": "2027-02-12", "last_day": "2027-03-12", "students": []}

A_CLASS = {**SCOPE, "section": "4 Curlew"}
"""Where the whole district would only take longer."""
ROWS = [
    # method, path, parameters, body, roles let through (None: without signing in)
    ("POST", "/api/sign-in", {}, {"login": "x", "password": "y"}, NO_ONE_NEEDED),
    ("POST", "/api/sign-out", {}, None, NO_ONE_NEEDED),
    ("GET", "/api/me", {}, None, EVERYONE),
    ("GET", "/api/me/sessions", {}, None, EVERYONE),
    ("DELETE", "/api/me/sessions/{key}", {}, None, EVERYONE),
    ("DELETE", "/api/me/sessions", {}, None, EVERYONE),
    ("POST", "/api/me/password", {}, {"now": "x", "new": "y"}, EVERYONE),
    ("GET", "/api/logs/views", {}, None, LEADS),
    ("GET", "/api/logs/exports", {}, None, LEADS),
    ("GET", "/api/scope/choices", {}, None, EVERYONE),
    ("GET", "/api/scope/first", {}, None, EVERYONE),
    ("GET", "/api/scope/rail", A_CLASS, None, EVERYONE),
    ("GET", "/api/scope/rail/without-scope", {}, None, EVERYONE),
    ("GET", "/api/compare", A_CLASS, None, EVERYONE),
    ("GET", "/api/compare.{form}", A_CLASS, None, EVERYONE),
    ("GET", "/api/drill-down", A_CLASS, None, EVERYONE),
    ("GET", "/api/drill-down.{form}", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/growth", A_CLASS, None, EVERYONE),
    ("GET", "/api/growth/rows", A_CLASS, None, EVERYONE),
    ("GET", "/api/growth/outlook", A_CLASS, None, EVERYONE),
    ("GET", "/api/growth/outlook/units", A_CLASS, None, EVERYONE),
    ("GET", "/api/growth/units", A_CLASS, None, EVERYONE),
    ("GET", "/api/growth/norms", {"assessment": "Saltgauge", "subject": "reading"}, None, EVERYONE),
    ("GET", "/api/compare/trend", A_CLASS, None, EVERYONE),
    ("GET", "/api/compare/trend.{form}", A_CLASS, None, EVERYONE),
    ("GET", "/api/compare/trend/drill-down", {**A_CLASS, "at": 0}, None, EVERYONE),
    ("GET", "/api/compare/history", A_CLASS, None, EVERYONE),
    ("GET", "/api/compare/history.{form}", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/compare/outcome", A_CLASS, None, EVERYONE),
    ("GET", "/api/compare/outcome/units", A_CLASS, None, EVERYONE),
    ("GET", "/api/compare/outcome.{form}", A_CLASS, None, NOT_AIDES),
    ("POST", "/api/goals/offers", A_CLASS, {"students": ["none"]}, EVERYONE),
    ("POST", "/api/goals", A_CLASS, {"students": ["none"], "kind": "keep pace"}, NOT_AIDES),
    ("PUT", "/api/goals/target", A_CLASS, {"share": 7}, NOT_AIDES),
    ("GET", "/api/goals/{student_id}", {"assessment": "x", "subject": "x"}, None, EVERYONE),
    ("GET", "/api/views", {}, None, EVERYONE),
    ("POST", "/api/views", {}, {"name": ""}, EVERYONE),
    ("GET", "/api/views/lately", {}, None, EVERYONE),
    ("GET", "/api/views/readers", {}, None, EVERYONE),
    ("GET", "/api/views/{key}", {}, None, EVERYONE),
    ("PATCH", "/api/views/{key}", {}, {}, EVERYONE),
    ("DELETE", "/api/views/{key}", {}, None, EVERYONE),
    ("GET", "/api/home", A_CLASS, None, EVERYONE),
    ("GET", "/api/check", A_CLASS, None, EVERYONE),
    ("GET", "/api/check/{part}.{form}", A_CLASS, None, NOT_AIDES),
    ("POST", "/api/check/decisions", {}, {"act": "keep", "result_id": 0}, {"coach", "school_lead"}),
    ("GET", "/api/acts", {}, None, EVERYONE),
    ("POST", "/api/acts/{key}/undo", {}, None, EVERYONE),
    ("POST", "/api/check/retests", {}, {"student_id": "none"}, NOT_AIDES),
    ("POST", "/api/check/retests/{key}/{state}", {}, None, NOT_AIDES),
    ("POST", "/api/check/reasons", {}, {"student_id": "none"}, NOT_AIDES),
    ("GET", "/api/students", {"q": "a"}, None, EVERYONE),
    ("GET", "/api/students/{student_id}", {}, None, EVERYONE),
    ("GET", "/api/students/{student_id}/results", {}, None, LEADS),
    ("POST", "/api/students/results/{result_id}/corrections", {}, {"column": "score", "why": "x"}, LEADS),
    ("GET", "/api/groups", {}, None, EVERYONE),
    ("GET", "/api/groups/adults", {}, None, NOT_AIDES),
    ("GET", "/api/groups/{group_id}", {}, None, EVERYONE),
    ("POST", "/api/groups", {}, GROUP, NOT_AIDES),
    ("PATCH", "/api/groups/{group_id}", {}, {}, NOT_AIDES),
    ("GET", "/api/groups/{group_id}/members.{form}", {}, None, NOT_AIDES),
    ("GET", "/api/needs/strands", A_CLASS, None, EVERYONE),
    ("GET", "/api/needs/strands/drill-down", {**A_CLASS, "strand": "Vocabulary"}, None, EVERYONE),
    ("GET", "/api/needs/strands.{form}", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/needs/standards", A_CLASS, None, EVERYONE),
    ("GET", "/api/needs/standards/drill-down", {**A_CLASS, "standard": "x", "state": "lacking"}, None, EVERYONE),
    ("GET", "/api/needs/standards/ground", {**A_CLASS, "standard": "x"}, None, EVERYONE),
    ("GET", "/api/needs/standards/evidence", {**A_CLASS, "student": "x", "standard": "x"}, None, EVERYONE),
    ("GET", "/api/needs/standards/student", {**A_CLASS, "of": "x"}, None, EVERYONE),
    ("GET", "/api/needs/standards/ahead", A_CLASS, None, EVERYONE),
    ("GET", "/api/needs/standards/calendar", A_CLASS, None, EVERYONE),
    ("GET", "/api/needs/standards.{form}", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/needs/standards/first.{form}", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/needs/items", A_CLASS, None, EVERYONE),
    ("GET", "/api/needs/items/answers", A_CLASS, None, EVERYONE),
    ("GET", "/api/needs/items/drill-down", {**A_CLASS, "item": "1"}, None, EVERYONE),
    ("POST", "/api/needs/items/preview", {}, {"test": "x", "item": "x", "keys": ["A"]}, COACH),
    ("POST", "/api/needs/items/mend", {}, {"test": "x", "item": "x", "keys": ["A"], "why": "x"}, COACH),
    ("GET", "/api/needs/items.{form}", A_CLASS, None, EVERYONE),
    ("GET", "/api/needs/items/answers.{form}", A_CLASS, None, NOT_AIDES),
    ("POST", "/api/needs/entries/names", {}, {"text": "x"}, EVERYONE),
    ("POST", "/api/needs/entries", {}, {"on": "2027-02-01", "source": "x", "entries": []}, EVERYONE),
    ("GET", "/api/needs/material", {"standard": "x"}, None, EVERYONE),
    ("POST", "/api/needs/material", {}, {"standard": "x", "title": "x"}, NOT_AIDES),
    ("POST", "/api/needs/material/{key}/give", {}, {"students": ["none"]}, NOT_AIDES),
    ("POST", "/api/needs/material/{key}/done", {}, {"students": ["none"], "done": True}, NOT_AIDES),
    ("GET", "/api/board", A_CLASS, None, EVERYONE),
    ("POST", "/api/board/moves", {}, {"student_id": "none"}, NOT_AIDES),
    ("POST", "/api/board/proposals", A_CLASS, {"students": ["none"], "number": 1, "most": 9}, NOT_AIDES),
    (
        "POST",
        "/api/board/proposals/moves",
        A_CLASS,
        {"asked": {"students": ["none"], "most": 9}, "groups": [["none"]], "student_id": "none", "target": 0},
        NOT_AIDES,
    ),
    ("POST", "/api/board/compared", A_CLASS, {"before": [], "after": []}, NOT_AIDES),
    (
        "POST",
        "/api/goals/agreed",
        A_CLASS,
        {"goals": [{"student_id": "none", "target": 500}], "by_day": "2027-05-01"},
        NOT_AIDES,
    ),
    ("GET", "/api/follow-up/groups", {}, None, EVERYONE),
    ("GET", "/api/follow-up/groups/{group_id}", {}, None, EVERYONE),
    ("GET", "/api/follow-up/groups/{group_id}/students.{form}", {}, None, NOT_AIDES),
    ("POST", "/api/follow-up/groups/{group_id}/sessions", {}, {"day": "2027-02-12", "minutes": 0}, EVERYONE),
    (
        "POST",
        "/api/follow-up/groups/{group_id}/results",
        {},
        {"assessment": "x", "subject": "x", "day": "2027-02-12", "scores": {"none": 1}},
        EVERYONE,
    ),
    ("GET", "/api/follow-up/groups/{group_id}/helped", A_CLASS, None, EVERYONE),
    ("GET", "/api/students/{student_id}/page", A_CLASS, None, EVERYONE),
    ("POST", "/api/remarks", {}, {"to": 1, "path": "/growth", "text": "x"}, EVERYONE),
    ("GET", "/api/remarks", {}, None, EVERYONE),
    ("POST", "/api/remarks/{key}/read", {}, None, EVERYONE),
    ("GET", "/api/share/results.{form}", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/share/report", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/share/report.pdf", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/share/choices", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/share/preview", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/share/pages/{student_id}", A_CLASS, None, NOT_AIDES),
    ("POST", "/api/share/files", A_CLASS, {"form": "zip"}, NOT_AIDES),
    ("GET", "/api/share/files/{key}", {}, None, NOT_AIDES),
    ("GET", "/api/share/log", {}, None, NOT_AIDES),
    ("POST", "/api/share/log/{key}/handed", {}, {"to": "x"}, NOT_AIDES),
    ("POST", "/api/share/sets", {}, {"name": "x", "audience": "family", "sections": ["internal"]}, LEADS),
    ("DELETE", "/api/share/sets/{key}", {}, None, LEADS),
    ("GET", "/api/students/{student_id}/documents", {}, None, NOT_AIDES),
    ("POST", "/api/students/documents", {}, None, NOT_AIDES),
    ("GET", "/api/students/documents/{key}", {}, None, NOT_AIDES),
    ("DELETE", "/api/students/documents/{key}", {}, None, NOT_AIDES),
    ("GET", "/api/students/{student_id}/notes", {}, None, NOT_AIDES),
    ("POST", "/api/students/{student_id}/notes", {}, {"audience": "internal", "text": "x"}, NOT_AIDES),
    ("POST", "/api/students/notes/{key}", {}, {"text": "x"}, NOT_AIDES),
    ("DELETE", "/api/students/notes/{key}", {}, None, NOT_AIDES),
    ("GET", "/api/students/{student_id}/page.{form}", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/follow-up/groups.{form}", {}, None, NOT_AIDES),
    ("GET", "/api/follow-up/team/suggested.{form}", {}, None, NOT_AIDES),
    ("GET", "/api/follow-up/daily.{form}", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/follow-up/given", {}, None, NOT_AIDES),
    ("GET", "/api/follow-up/given.{form}", {}, None, NOT_AIDES),
    ("GET", "/api/follow-up/helped", {**A_CLASS, "kind": "tier", "value": "none"}, None, NOT_AIDES),
    ("GET", "/api/follow-up/helped/kinds", {}, None, NOT_AIDES),
    ("GET", "/api/follow-up/periods", {}, None, NOT_AIDES),
    ("GET", "/api/follow-up/practice", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/follow-up/practice.{form}", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/follow-up/practice/students", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/follow-up/practice/{student_id}", {}, None, NOT_AIDES),
    ("POST", "/api/follow-up/practice/goals", {}, {"marking_period": 0, "students": ["none"]}, NOT_AIDES),
    ("GET", "/api/follow-up/two", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/follow-up/two/students", {**A_CLASS, "standing": "both"}, None, NOT_AIDES),
    ("GET", "/api/follow-up/two.{form}", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/follow-up/team/meetings", {}, None, NOT_AIDES),
    ("POST", "/api/follow-up/team/meetings", {}, {"day": "2027-02-12", "name": ""}, NOT_AIDES),
    ("GET", "/api/follow-up/team/meetings/{key}", {}, None, NOT_AIDES),
    ("POST", "/api/follow-up/team/meetings/{key}/students", {}, {"students": {"none": "x"}}, NOT_AIDES),
    ("DELETE", "/api/follow-up/team/meetings/{key}/students/{student_id}", {}, None, NOT_AIDES),
    ("GET", "/api/follow-up/team/suggested", {}, None, NOT_AIDES),
    ("GET", "/api/follow-up/team/students/{student_id}", A_CLASS, None, NOT_AIDES),
    ("GET", "/api/follow-up/team/decisions/{key}", {}, None, NOT_AIDES),
    ("POST", "/api/follow-up/team/decisions", A_CLASS, {"student_id": "none", "kind": "stay"}, NOT_AIDES),
    ("POST", "/api/follow-up/team/decisions/{key}/done", {}, {"done": True}, NOT_AIDES),
    ("GET", "/api/follow-up/daily", A_CLASS, None, NOT_AIDES),
    ("POST", "/api/follow-up/daily/said", {}, {"student_id": "none", "about": "x"}, NOT_AIDES),
    ("GET", "/api/board/rules", {}, None, NOT_AIDES),
    ("GET", "/api/board/rules.{form}", {}, None, NOT_AIDES),
    ("GET", "/api/board/week", {}, None, EVERYONE),
    ("GET", "/api/board/week.{form}", {}, None, NOT_AIDES),
    ("GET", "/api/board/members.{form}", {}, None, NOT_AIDES),
    ("PUT", "/api/board/required-minutes", {}, {"tier": 0, "minutes": 1}, COACH),
    ("POST", "/api/board/accepted", {}, {"groups": [], "first_day": "2027-02-12", "last_day": "2027-02-11"}, NOT_AIDES),
    ("GET", "/api/figures", {}, None, EVERYONE),
    ("GET", "/api/measures", {}, None, COACH),
    ("GET", "/api/measures/one", {"assessment": "Saltgauge", "subject": "reading"}, None, COACH),
    ("POST", "/api/measures/one", {}, {"assessment": "x", "subject": "x", "kind": "common"}, COACH),
    ("GET", "/api/calendar", {}, None, COACH),
    ("GET", "/api/tables", {}, None, COACH),
    ("GET", "/api/tables/oneroster.zip", {}, None, COACH),
    ("GET", "/api/tables/all.zip", {}, None, COACH),
    ("GET", "/api/tables/{name}.{form}", {}, None, COACH),
    ("GET", "/api/sources", {}, None, COACH),
    ("POST", "/api/sources", {}, {"name": "x"}, COACH),
    ("POST", "/api/sources/{source_id}/schedule", {}, {"at_hour": 5}, COACH),
    ("POST", "/api/sources/{source_id}/fetch", {}, None, COACH),
    ("DELETE", "/api/sources/{source_id}", {}, None, COACH),
    ("GET", "/api/sittings/choices", {}, None, COACH),
    ("POST", "/api/sittings", {}, {"section_id": 0, "subject": "x", "window": "x"}, COACH),
    ("GET", "/api/sittings/{key}", {}, None, COACH),
    ("POST", "/api/sittings/{key}/bring-in", {}, None, COACH),
    ("GET", "/api/imports", {}, None, COACH),
    ("POST", "/api/imports/preview", {}, None, COACH),
    ("GET", "/api/imports/progress", {}, None, COACH),
    ("POST", "/api/imports/look", {}, {"drafts": ["0"]}, COACH),
    ("POST", "/api/imports/rehearse", {}, {"drafts": ["0"]}, COACH),
    ("POST", "/api/imports/bring-in", {}, {"drafts": ["0"]}, COACH),
    ("GET", "/api/imports/{import_id}/undo", {}, None, COACH),
    ("GET", "/api/demo", {}, None, NO_ONE_NEEDED),
    ("GET", "/api/setup/first-day", {}, None, COACH),
    ("GET", "/api/setup/templates/{kind}", {}, None, COACH),
    ("GET", "/api/setup/templates/{kind}.{form}", {}, None, COACH),
    ("GET", "/api/setup/samples", {}, None, COACH),
    ("POST", "/api/setup/samples/{name}", {}, None, COACH),
    ("GET", "/api/calendar/time-zone", {}, None, COACH),
    ("PUT", "/api/calendar/time-zone", {}, {"time_zone": "nowhere"}, COACH),
    ("GET", "/api/watched", {}, None, COACH),
    ("PUT", "/api/watched/hour", {}, {"at_hour": 99}, COACH),
    ("POST", "/api/watched/{name}", {}, None, COACH),
    ("DELETE", "/api/watched/{name}", {}, None, COACH),
    ("POST", "/api/imports/edited", {}, {"kind": "cuts", "rows": [{"band": "x"}]}, COACH),
    ("POST", "/api/imports/{draft}/changes", {}, {}, COACH),
    ("GET", "/api/imports/{draft}/refused.{form}", {}, None, COACH),
    ("POST", "/api/imports/{import_id}/undo", {}, None, COACH),
]

CLIENT = {("GET", "/{path:path}"), ("MOUNT", "/assets")}
"""What serves the client's files, which hold nothing of anybody."""

TABLE = {
    # What each role may do, written out once more by hand.
    Right.SIGNED_IN: EVERYONE,
    Right.SCORES: EVERYONE,
    Right.EVERY_MEASURE: NOT_AIDES,
    Right.PROGRAMS: NOT_AIDES,
    Right.HISTORY: NOT_AIDES,
    Right.GROUPS_SEE: EVERYONE,
    Right.GROUPS_OF_STUDENTS: NOT_AIDES,
    Right.GROUPS_OF_OTHERS: COACH,
    Right.GROUPS_MAKE: NOT_AIDES,
    Right.GOALS_SET: NOT_AIDES,
    Right.EXPORT_NAMES: NOT_AIDES,
    Right.ASK_RETEST: NOT_AIDES,
    Right.DECIDE: {"coach", "school_lead"},
    Right.ENTER: EVERYONE,
    Right.PRACTICE: NOT_AIDES,
    Right.TEAM: NOT_AIDES,
    Right.NOTES: NOT_AIDES,
    Right.NOTES_OF_OTHERS: LEADS,
    Right.NOTES_CHANGE: COACH,
    Right.DOCUMENTS: NOT_AIDES,
    Right.DOCUMENTS_OF_OTHERS: LEADS,
    Right.PAGES: NOT_AIDES,
    Right.PAGES_OF_OTHERS: LEADS,
    Right.MATERIAL: NOT_AIDES,
    Right.ITEMS: COACH,
    Right.SETUP: COACH,
    Right.UNDO_OF_OTHERS: COACH,
    Right.LOGS: LEADS,
    Right.LOGS_OF_DISTRICT: COACH,
}


def walked(routes):
    """Every route below these; what is of no known kind stands for itself, so that it fails."""
    for route in routes:
        below = [find for name in ("effective_candidates", "effective_low_priority_routes")
                 if (find := getattr(route, name, None)) is not None]  # fmt: skip
        if below:
            for find in below:
                yield from walked(find())
        else:
            yield route


def served():
    """Every method and address of the application, in its description or not, mounted or not."""
    return {
        (method, getattr(route, "path", None) or repr(route))
        for route in walked(application().routes)
        for method in getattr(route, "methods", None) or {"MOUNT"}
        if method not in ("HEAD", "OPTIONS")
    }


class Rights(unittest.TestCase):
    def test_every_route_stands_in_a_row(self):
        """And every row is a route; beside them only the client's own files are served."""
        self.assertEqual(served() - CLIENT, {(method, path) for method, path, *_ in ROWS})

    def test_no_way_to_add_a_route_escapes_the_rows(self):
        """In the description or outside it, plain or mounted: each is seen by the test above."""
        before = list(application().router.routes)
        self.addCleanup(lambda: application().router.routes.__setitem__(slice(None), before))
        application().add_api_route("/api/one", lambda: 1, include_in_schema=False)
        application().add_route("/api/two", lambda _: None)
        application().mount("/api/three", lambda *_: None)
        more = APIRouter(prefix="/four")
        more.add_api_route("/five", lambda: 1, include_in_schema=False)
        application().include_router(more, prefix="/api")
        found = {path for _, path in served() - CLIENT} - {path for _, path, *_ in ROWS}
        self.assertEqual(found, {"/api/one", "/api/two", "/api/three", "/api/four/five"})

    def test_no_body_takes_fields_that_it_does_not_know(self):
        """A misspelt field is refused by name, in every route that writes."""
        schemas = description()["components"]["schemas"]
        for path, methods in description()["paths"].items():
            for method, route in methods.items():
                body = route.get("requestBody", {}).get("content", {}).get("application/json", {}).get("schema", {})
                if name := body.get("$ref", "").rpartition("/")[2]:
                    with self.subTest(route=f"{method} {path}"):
                        self.assertIs(schemas[name].get("additionalProperties"), False, name)  # noqa: FBT003
        answer = signed_in("coach").post("/api/check/reasons", json={"student": "x", "window": "x", "reason": "y"})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("student", answer.json()["message"])

    def test_the_table_of_rights(self):
        """Grant and denial of every right for every role, an unknown role included."""
        self.assertEqual(set(TABLE), set(Right))
        for right, roles in TABLE.items():
            for role in EVERYONE | {"visitor", ""}:
                with self.subTest(right=right, role=role):
                    self.assertIs(may(role, right), role in roles)
        self.assertEqual(set(ROLES), EVERYONE)
        self.assertEqual(set(UNDO), set(KINDS))

    def call(self, client, method, path, parameters, body):
        numbers = dict.fromkeys(("group_id", "import_id", "source_id", "key", "result_id"), 0)
        words = dict.fromkeys(("student_id", "draft", "name", "kind"), "none")
        url = path.format(form="csv", part="missing", state="done", **words, **numbers)
        return client.request(method, url, params=parameters, json=body)

    def test_every_row_for_every_role(self):
        """Denied roles get 403 and nothing else; allowed ones anything but 401 and 403."""
        # The small district: whole exports are among the routes, and rights do not go by size.
        clients = all_signed_in(build(stage.settings(), stage.small_copy()))
        for turn, (method, path, parameters, body, allowed) in enumerate(ROWS):
            if allowed is NO_ONE_NEEDED:
                continue
            # All that are denied; of those let through, whose answers take their time, some in turn.
            through = [role for role in clients if role in allowed]
            asking = {through[(turn + one) % len(through)] for one in range(extent(1, 5))} | (set(clients) - allowed)
            for role, client in clients.items():
                if role not in asking:
                    continue
                with self.subTest(method=method, path=path, role=role):
                    status = self.call(client, method, path, parameters, body).status_code
                    if role in allowed:
                        self.assertNotIn(status, (401, 403, 500))
                    else:
                        self.assertEqual(status, 403)

    def test_nobody_gets_nothing(self):
        """Without a session, and with a forged one, every row that needs a person answers 401."""
        forged = nobody()
        forged.cookies.set("bodkin", "1.abc.def")
        for method, path, parameters, body, allowed in ROWS:
            if allowed is not NO_ONE_NEEDED:
                for client in (nobody(), forged):
                    with self.subTest(method=method, path=path):
                        answer = self.call(client, method, path, parameters, body)
                        self.assertEqual(answer.status_code, 401)
                        self.assertEqual(answer.json()["code"], "not_signed_in")
