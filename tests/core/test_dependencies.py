"""What the application imports is what its wheel asks for."""

import ast
import re
import sys
from importlib.metadata import packages_distributions
from pathlib import Path
from unittest import TestCase

ROOT = Path(__file__).resolve().parents[2]
PACKAGES = ("trasloco", "server", "demo", "console")


def _plain(name: str) -> str:
    return re.sub(r"[-_.]+", "-", name).lower()


def _named(file: str) -> set[str]:
    lines = (ROOT / file).read_text().splitlines()
    return {_plain(re.split(r"[\[<>=]", line)[0]) for line in lines if line and not line.startswith("#")}


def _imported() -> set[str]:
    """Top modules that are not our own and not Python's."""
    found = set()
    for package in PACKAGES:
        for path in (ROOT / package).rglob("*.py"):
            for node in ast.walk(ast.parse(path.read_text())):
                if isinstance(node, ast.Import):
                    found |= {alias.name.partition(".")[0] for alias in node.names}
                elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
                    found.add(node.module.partition(".")[0])
    return found - set(sys.stdlib_module_names) - set(PACKAGES)


class Dependencies(TestCase):
    def test_every_import_is_asked_for(self) -> None:
        asked, of = _named("requirements.in"), packages_distributions()
        for module in sorted(_imported() - {"_typeshed"}):
            with self.subTest(module):
                self.assertTrue({_plain(one) for one in of.get(module, [module])} & asked)

    def test_all_that_is_asked_for_is_pinned(self) -> None:
        pinned = _named("requirements.lock")
        self.assertLessEqual(_named("requirements.in") | _named("requirements-dev.in"), pinned)
