"""What is said of one line of a sheet."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal

FieldKind = Literal["choice", "flag", "number", "text", "several", "inputs", "sets"]
SOURCE, DESTINATION = ("source",), ("destination",)


@dataclass(frozen=True)
class Line:
    """One line of a sheet.

    Attributes:
        path: dotted path in the TOML. group, label: heading and name on screen. why: what it decides.
        kind: what it takes. choices: allowed values and what each says; a flag has ``true`` and ``false``; a
            number has the sentence it fills.
        roles: which sheets have it. signs: what a choice is drawn as, in a few characters.
    """

    path: str
    group: str
    label: str
    why: str
    kind: FieldKind
    choices: dict[str, str] = field(default_factory=dict)
    roles: tuple[str, ...] = ("source", "destination")
    signs: dict[str, str] = field(default_factory=dict)
