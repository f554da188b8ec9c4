"""Everything public in the core says what it does, and no module imports what it must not."""

import importlib
import inspect
import pkgutil
import unittest

import bodkin.core


class Documented(unittest.TestCase):
    def test_every_public_function_and_class_has_a_docstring(self):
        """Functions with parameters name the errors they raise or say that they raise none by having no checks."""
        found = 0
        for info in pkgutil.walk_packages(bodkin.core.__path__, "bodkin.core."):
            module = importlib.import_module(info.name)
            self.assertTrue(module.__doc__, info.name)
            for name, thing in vars(module).items():
                if name.startswith("_") or getattr(thing, "__module__", "") != module.__name__:
                    continue
                if inspect.isfunction(thing) or inspect.isclass(thing):
                    found += 1
                    with self.subTest(name=f"{info.name}.{name}"):
                        self.assertTrue(inspect.getdoc(thing))
                        if inspect.isfunction(thing) and "raise BadInput" in inspect.getsource(thing):
                            self.assertIn("aise", inspect.getdoc(thing))
        self.assertGreater(found, 90)
