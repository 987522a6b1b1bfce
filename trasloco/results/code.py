"""A digest of the code that makes something: its module, and everything of Trasloco that it imports."""

from __future__ import annotations

import hashlib
import re
from functools import cache
from pathlib import Path

import trasloco

_ROOT = Path(trasloco.__file__).parent
_STATEMENT = re.compile(
    r"^\s*(?:from\s+(trasloco[\w.]*)\s+import\s+(\([^)]*\)|[^\n]*)|import\s+(trasloco[\w.]*))", re.MULTILINE
)


class Sources:
    """The source of Trasloco as it is on disk; each file is read once."""

    def __init__(self) -> None:
        self._text: dict[str, bytes] = {}
        self._above: dict[str, tuple[str, ...]] = {}

    def digest(self, *modules: str) -> str:
        """Hex digest of the sources of modules and, all the way down, of what they import from Trasloco.

        Raises ValueError for a module that is none: its code would never count.
        """
        unknown = [module for module in modules if _file(module) is None]
        if unknown:
            raise ValueError(f"no module of Trasloco: {', '.join(unknown)}")
        reached: set[str] = set()
        waiting = list(modules)
        while waiting:
            module = waiting.pop()
            if module not in reached:
                reached.add(module)
                waiting.extend(self._imports(module))
        hasher = hashlib.sha256()
        for module in sorted(reached):
            hasher.update(module.encode() + b"\0" + self._source(module))
        return hasher.hexdigest()

    def _source(self, module: str) -> bytes:
        if module not in self._text:
            path = _file(module)
            self._text[module] = path.read_bytes() if path is not None else b""
        return self._text[module]

    def _imports(self, module: str) -> tuple[str, ...]:
        """Modules of Trasloco that a module imports, in functions too; those of its folder where it takes
        all.
        """
        if module not in self._above:
            found: set[str] = set()
            for holder, names, whole in _STATEMENT.findall(self._source(module).decode()):
                found |= (
                    {holder, *(f"{holder}.{name}" for name in re.findall(r"\w+", names))}
                    if holder
                    else {whole}
                )
            if "iter_modules(__path__)" in self._source(module).decode():
                found |= {
                    f"{module}.{path.stem}" for path in _ROOT.joinpath(*module.split(".")[1:]).glob("*.py")
                }
            self._above[module] = tuple(sorted(name for name in found if _file(name) is not None))
        return self._above[module]


@cache
def _file(module: str) -> Path | None:
    """The file of a module of Trasloco, None for a name that is none."""
    head, *rest = module.split(".")
    if head != "trasloco":
        return None
    place = _ROOT.joinpath(*rest)
    return next((path for path in (place.with_suffix(".py"), place / "__init__.py") if path.is_file()), None)


_AS_STARTED = Sources()


@cache
def code_of(*modules: str) -> str:
    """The digest of code as it was when this process first asked."""
    return _AS_STARTED.digest(*modules)
