"""Whole inputs as values of decisions: settings copied to other materials, two inputs swapped. A copy is what the input was when it was copied; it stays when the first one changes later."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, fields, replace
from typing import Any

from trasloco.errors import Refused
from trasloco.scene.inputs import INPUTS, ORDER, VECTORS
from trasloco.scene.model import Decision, Input, Scene, Texture
from trasloco.scene.spaces import SPACES

_PAIRS = ("offset", "scale", "wrap")


def input_value(given: Input) -> dict[str, Any]:
    """An input as plain JSON values."""
    texture = asdict(given.texture) if given.texture is not None else None
    return {"factor": [None if v == float("inf") else v for v in given.factor], "vertex_color": given.vertex_color, "texture": {k: list(v) if isinstance(v, tuple) else v for k, v in texture.items()} if texture else None}


def is_input_value(value: Any) -> bool:
    """Whether a value can be an input, or null for none."""
    if value is None:
        return True
    if not isinstance(value, Mapping) or not isinstance(value.get("factor"), list) or not isinstance(value.get("vertex_color", False), bool):
        return False
    if not all(v is None or (isinstance(v, int | float) and not isinstance(v, bool)) for v in value["factor"]):
        return False
    texture = value.get("texture")
    return texture is None or (isinstance(texture, Mapping) and isinstance(texture.get("image"), str) and set(texture) <= {f.name for f in fields(Texture)} and _sound(texture))


def _sound(texture: Mapping[str, Any]) -> bool:
    numbers = [texture.get("rotation_rad", 0.0), texture.get("strength", 1.0), texture.get("curve_top", 1.0), *texture.get("offset", [0.0, 0.0]), *texture.get("scale", [1.0, 1.0])]
    return (
        all(isinstance(v, int | float) and not isinstance(v, bool) and abs(v) < 1e9 for v in numbers) and all(len(texture.get(k, (0, 0))) == 2 for k in _PAIRS) and texture.get("channels", "rgb") in ("rgb", "r", "g", "b", "a")
        and texture.get("encoding", "linear") in ("srgb", "linear") and texture.get("curve", "linear") in ("linear", "squared", "exponent", "scaled") and texture.get("space", "") in ("", *SPACES) and texture.get("uv_set", 0) in range(8)
    )


def whole_input(scene: Scene, target: str, value: Any) -> Scene:
    """An input of a material as a decision holds it, or none. Target ``material id/input name``."""
    material_id, _, name = target.rpartition("/")
    material, spec = scene.materials.get(material_id), INPUTS.get(name)
    if material is None or spec is None:
        return scene
    if value is None:
        return scene.with_material(replace(material, inputs={k: v for k, v in material.inputs.items() if k != name}))
    factor = tuple(float("inf") if v is None else float(v) for v in value["factor"])
    if len(factor) != spec.channels:
        raise Refused(f"{spec.label} takes {spec.channels} number{'s' if spec.channels > 1 else ''}.", target, "Copy from an input of the same kind.")
    texture = value.get("texture")
    if texture is not None and texture["image"] not in scene.images:
        raise Refused("There is no such image.", target, "Choose one of the images of the move.")
    said: dict[str, Any] = {k: tuple(v) if k in _PAIRS else v for k, v in texture.items()} if texture is not None else {}
    made = Texture(**said) if texture is not None else None
    return scene.with_material(replace(material, inputs={**material.inputs, name: Input(factor, made, bool(value.get("vertex_color", False)), "decision")}))


def copied_settings(scene: Scene, source: str, targets: Sequence[str], names: Sequence[str] = ()) -> list[Decision]:
    """Decisions that give other materials a material's inputs: those named, or all of it with its see-through and sides.

    Raises:
        Refused: no such material.
    """
    for id in (source, *targets):
        if id not in scene.materials:
            raise Refused("There is no such material.", id, "Reload the page.")
    given = scene.materials[source]
    made: list[Decision] = []
    for target in targets:
        if target == source:
            continue
        old = scene.materials[target]
        wanted = list(names) or sorted({*given.inputs, *old.inputs}, key=lambda n: ORDER[n])
        for name in wanted:
            if name in given.inputs or name in old.inputs:
                made.append(Decision(f"{target}/{name}", "input", input_value(given.inputs[name]) if name in given.inputs else None))
        if not names or "opacity" in names:
            made += [Decision(target, "alpha_mode", given.alpha_mode), Decision(target, "alpha_cutoff", given.alpha_cutoff)]
        if not names:
            made.append(Decision(target, "double_sided", given.double_sided))
    return made


def swapped_inputs(scene: Scene, material_id: str, first: str, second: str) -> list[Decision]:
    """Decisions that swap what two inputs of a material read.

    Raises:
        Refused: no such material or input, or two inputs of different kinds.
    """
    material = scene.materials.get(material_id)
    if material is None or first not in INPUTS or second not in INPUTS:
        raise Refused("There is no such input.", f"{material_id}/{first}", "Reload the page.")
    if INPUTS[first].channels != INPUTS[second].channels or (first in VECTORS) != (second in VECTORS):
        raise Refused(f"{INPUTS[first].label} and {INPUTS[second].label.lower()} hold different kinds of values.", material_id, "Swap a colour with a colour, or a number with a number.")
    held = {name: material.inputs.get(name) for name in (first, second)}
    return [Decision(f"{material_id}/{name}", "input", input_value(other) if other is not None else None) for name, other in ((first, held[second]), (second, held[first]))]
