"""Numbers of a material matched to one's own picture on the route, and what they become as decisions."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from trasloco.errors import Refused
from trasloco.inputs.table import INPUTS
from trasloco.outside.material_match import MATCHED, FoundNumber, match_material
from trasloco.progress import Progress
from trasloco.proof.light_there import is_lit
from trasloco.results.outside import light_png
from trasloco.results.own_pictures import Lying
from trasloco.results.route import Route

NAMES = {name: INPUTS[name].label for name in MATCHED}
"""Inputs whose numbers a picture can tell, and what they are called."""


@dataclass(frozen=True)
class FoundMaterial:
    """Figures as they are kept, and the picture with those numbers, PNG."""

    told: dict[str, Any]
    picture: bytes


def match_numbers(
    route: Route,
    lying: Lying,
    material: str,
    names: Sequence[str],
    report: Progress,
) -> FoundMaterial:
    """Find a material's numbers from a picture that lies over what its camera sees, in the light as it stands.

    Raises:
        Refused: nothing lights the scene, or the picture hardly shows the material.
    """
    scene = route.reference()
    if material not in scene.materials:
        raise Refused("There is no such material.", material, "Reload the page.")
    if not is_lit(scene):
        raise Refused(
            "Nothing lights this scene: numbers of materials cannot be told.",
            scene.name,
            "Match the light first, or give the scene a lamp on the Light stop.",
        )
    picture, reaches, view = lying.opened()
    found = match_material(scene, material, names, view, picture, reaches, lying.curve, report)
    rows = [_row(material, one) for one in found.numbers]
    told = {
        "material": material,
        "name": scene.materials[material].name,
        "before": found.before,
        "after": found.after,
        "cover": found.cover,
        "numbers": rows,
        "decisions": [row["decision"] for row in rows if row["sure"]],
    }
    return FoundMaterial(told, light_png(found.picture))


def _row(material: str, one: FoundNumber) -> dict[str, Any]:
    value = list(one.after) if len(one.after) > 1 else one.after[0]
    return {
        "name": one.name,
        "label": INPUTS[one.name].label,
        "before": list(one.before),
        "after": list(one.after),
        "unsure": one.unsure,
        "sure": one.sure,
        "decision": {"target": f"{material}/{one.name}", "field": "factor", "value": value},
    }
