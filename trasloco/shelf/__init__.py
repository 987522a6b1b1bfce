"""The shelf: a library of materials that ships with Trasloco, put on slots by name or by hand.

A MaterialX document of constants, made for the Teatrino.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path

from trasloco.errors import Refused
from trasloco.fit.families.sets import name_likeness
from trasloco.formats.bundle import Bundle
from trasloco.formats.receive import read_one
from trasloco.inputs.table import ORDER
from trasloco.mends.copied_inputs import input_value
from trasloco.scene.model import Decision, Material, Scene

_FOLDER = Path(__file__).parent
_LIKE = 0.5


@cache
def shelf() -> dict[str, Material]:
    """Materials by name, in the document's order."""
    name = "teatrino.mtlx"
    scene = read_one(name, Bundle({name: (_FOLDER / name).read_bytes()}))
    assert scene is not None
    return {
        shown: replace(material, name=shown)
        for material in scene.materials.values()
        for shown in [_shown(material.name)]
    }


def _shown(key: str) -> str:
    """``footlight_brass_worn`` as ``Footlight brass, worn``."""
    words = key.replace("_", " ")
    for state in ("worn", "tarnished", "rusted"):
        words = words.replace(f" {state}", f", {state}")
    return words[:1].upper() + words[1:]


def put_on(scene: Scene, target: str, name: str) -> list[Decision]:
    """Decisions that give a slot a shelf material: all its inputs, what it lets through and its sides; slot
    and name stay.

    Raises:
        Refused: no such slot, or nothing of that name on the shelf.
    """
    slot, made = scene.materials.get(target), shelf().get(name)
    if slot is None:
        raise Refused("There is no such material.", target, "Reload the page.")
    if made is None:
        raise Refused(f"There is no {name} on the shelf.", slot.name, f"Choose one of: {', '.join(shelf())}.")
    painted = "base_color" in slot.inputs and slot.inputs["base_color"].vertex_color
    decisions = []
    for key in sorted({*slot.inputs, *made.inputs}, key=lambda n: ORDER[n]):
        given = made.inputs.get(key)
        if key == "base_color" and given is not None:
            given = replace(given, vertex_color=painted)
        decisions.append(
            Decision(f"{target}/{key}", "input", input_value(given) if given is not None else None)
        )
    return [
        *decisions,
        Decision(target, "alpha_mode", made.alpha_mode),
        Decision(target, "double_sided", slot.double_sided),
    ]


@dataclass(frozen=True)
class Match:
    """A slot and the shelf material whose name is most like its own; ``likeness`` from 0 to 1."""

    slot: str
    name: str
    likeness: float


def matches(scene: Scene) -> list[Match]:
    """Slots that are named like something on the shelf, the surest first.

    Of equals the plain one comes before its worn variants.
    """
    found = []
    for material in scene.materials.values():
        best = max(
            ((name_likeness(material.name, name), -place, name) for place, name in enumerate(shelf())),
            default=(0.0, 0, ""),
        )
        if best[0] >= _LIKE:
            found.append(Match(material.id, best[2], best[0]))
    return sorted(found, key=lambda m: -m.likeness)
