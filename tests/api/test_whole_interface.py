"""Any request that the interface's description allows, by every role: no 500, nothing undocumented."""

import unittest

import hypothesis
import requests
import schemathesis
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import content_type_conformance, status_code_conformance

from bodkin.api.app import build
from tests.api.application import all_signed_in, description
from tests.support import stage
from tests.support.extent import extent

EXAMPLES = extent(1, 10)
"""Requests drawn for each route."""
OTHERS = extent(1, 4)
"""How many roles send a request beside the coach; all of them have their turn."""
EVERY = extent(3, 1)
"""At every how many routes others ask beside the coach; who is denied what is asked in the tests of rights."""
SENT = ("method", "url", "headers", "params", "data", "json", "files")
CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance]


class WholeInterface(unittest.TestCase):
    """Drawn by Schemathesis from the OpenAPI document, which is not served but made here."""

    @classmethod
    def setUpClass(cls):
        app = build(stage.settings(), stage.small_copy())
        cls.schema = schemathesis.openapi.from_dict(description())
        cls.clients = all_signed_in(app)

    def ask(self, operation, turn):
        coach, *others = self.clients.values()
        beside = 0 if turn % EVERY else OTHERS
        clients = [coach, *(others[(turn // EVERY + one) % len(others)] for one in range(beside))]

        @hypothesis.settings(
            max_examples=EXAMPLES, deadline=None, database=None, derandomize=True,
            suppress_health_check=list(hypothesis.HealthCheck),
            phases=[hypothesis.Phase.generate],
        )  # fmt: skip
        @hypothesis.given(case=operation.as_strategy())
        def one(case):
            given = case.as_transport_kwargs(base_url="http://testserver")
            known = {name: given[name] for name in SENT if name in given}
            sent = requests.Request(**known).prepare()
            for client in clients:
                response = client.request(sent.method, sent.url, content=sent.body, headers=dict(sent.headers))
                case.validate_response(response, checks=CHECKS)

        one()

    def test_every_route_asked_by_several_roles(self):
        """The same drawn requests from the coach and from others."""
        asked = 0
        for found in self.schema.get_all_operations():
            operation = found.ok()
            # Signed out, or with another password, the rest would ask for nobody.
            if operation.path in ("/api/sign-out", "/api/me/password") or "/me/sessions" in operation.path:
                continue
            with self.subTest(method=operation.method, path=operation.path):
                self.ask(operation, asked)
                asked += 1
        self.assertGreater(asked, 70)
