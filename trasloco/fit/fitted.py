"""A fit that was taken for a material: what becomes of each input of the destination's, and whether it still
holds.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from trasloco.inputs.table import INPUTS
from trasloco.scene.digest import digest
from trasloco.scene.model import Decision, Material, Scene
from trasloco.sheets.model import Sheet


@dataclass(frozen=True)
class Change:
    """What a fit makes of an input: ``gain`` x what was given + ``offset``, within [0, 1]. Where neither
    image nor colours on points lie under it, ``offset`` is its number. Each as long as the input has
    channels.
    """

    gain: tuple[float, ...]
    offset: tuple[float, ...]


@dataclass(frozen=True)
class Fitted:
    """Changes by the destination's input; ``covers`` names what they stand in for."""

    changes: Mapping[str, Change]
    covers: tuple[str, ...]

    @property
    def words(self) -> str:
        return named(self.changes)


def named(inputs: Iterable[str]) -> str:
    """Inputs in words: "base colour, roughness and specular weight"."""
    labels = [INPUTS[name].label.lower() for name in inputs]
    return " and ".join(filter(None, (", ".join(labels[:-1]), labels[-1]))) if labels else "nothing"


def fitted_for(scene: Scene, material: Material, destination: Sheet) -> str:
    """What a fit holds for: a digest of a material's look and of the destination's model. Where it is another
    one, the fit was made for something else.
    """
    images = [
        scene.images[t.image].digest
        for given in material.inputs.values()
        for t in given.textures
        if t.image in scene.images
    ]
    look = (material.inputs, material.alpha_mode, images)
    return digest(
        look, destination.name, destination.materials.model_dump(), destination.meanings.model_dump()
    )[:16]


def value_of(fit: Fitted, holds_for: str, destination: Sheet) -> dict[str, Any]:
    """A fit as the value of a decision."""
    return {
        "destination": destination.name,
        "holds_for": holds_for,
        "covers": list(fit.covers),
        "inputs": {
            name: {"gain": list(change.gain), "offset": list(change.offset)}
            for name, change in fit.changes.items()
        },
    }


def read(value: Mapping[str, Any]) -> Fitted:
    """The value of a decision as a fit."""
    return Fitted(
        {
            name: Change(tuple(map(float, one["gain"])), tuple(map(float, one["offset"])))
            for name, one in value["inputs"].items()
        },
        tuple(value["covers"]),
    )


def fits_in_force(scene: Scene, destination: Sheet, holding: Sequence[Decision]) -> dict[str, Fitted]:
    """Fits by material, of those that were made for what the materials and the destination are now."""
    found = {}
    for decision in holding:
        if decision.field != "fitted" or not decision.value or decision.target not in scene.materials:
            continue
        material = scene.materials[decision.target]
        if decision.value["holds_for"] == fitted_for(scene, material, destination):
            found[decision.target] = read(decision.value)
    return found
