"""Names of results."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Any

from trasloco.results.code import code_of
from trasloco.scene.digest import digest


@dataclass(frozen=True)
class Name:
    """What a result is made from.

    Attributes:
        inputs: digest of all that is read, down to the files. code: digest of all that makes it, down to the
            reader.
    """

    inputs: str
    code: str

    @cached_property
    def key(self) -> str:
        """What it is kept under: other inputs or other code is another result."""
        return digest(self.inputs, self.code)


def named(what: str, made_by: tuple[str, ...], *reads: Any) -> Name:
    """The name of a result.

    ``reads`` are names of other results, and whatever else has a digest; ``made_by`` are the modules that
    make it.
    """
    above = [one for one in reads if isinstance(one, Name)]
    inputs = digest(what, *(one.inputs if isinstance(one, Name) else one for one in reads))
    return Name(inputs, digest(code_of(*made_by), *(one.code for one in above)))
