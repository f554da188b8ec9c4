"""The benchmarks, which no test runs, still import what they name."""

import ast
import importlib
import importlib.util
import unittest

from bodkin.store.settings import ROOT


class Benchmarks(unittest.TestCase):
    def test_every_name_they_import_is_there(self):
        """A module or a name that was moved fails here, and not when somebody measures."""
        missing = []
        for path in sorted((ROOT / "benchmarks").glob("*.py")):
            for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
                if isinstance(node, ast.ImportFrom) and (node.module or "").startswith(("bodkin", "tests")):
                    module = importlib.import_module(node.module)
                    missing += [
                        f"{path.name}: {node.module}.{one.name}"
                        for one in node.names
                        if not hasattr(module, one.name)
                        and importlib.util.find_spec(f"{node.module}.{one.name}") is None
                    ]
        self.assertEqual(missing, [])
