"""Whole inputs as values of decisions: settings copied to other materials, two inputs swapped.

A copy is what the input was when it was copied; it stays when the first one changes later.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from trasloco.errors import Refused
from trasloco.inputs.table import INPUTS, ORDER, VECTORS
from trasloco.mends.layer_values import layer_value, layers_of
from trasloco.mends.texture_values import texture_of, texture_value
from trasloco.scene.invented import invention, is_invented, made_from
from trasloco.scene.model import Decision, Input, Scene


def input_value(given: Input) -> dict[str, Any]:
    """An input as plain JSON values."""
    return {
        "factor": [None if v == float("inf") else v for v in given.factor],
        "vertex_color": given.vertex_color,
        "texture": texture_value(given.texture) if given.texture is not None else None,
        "layers": [layer_value(layer) for layer in given.layers],
    }


def whole_input(scene: Scene, target: str, value: Any) -> Scene:
    """An input of a material as a decision holds it, or none. Target ``material id/input name``."""
    material_id, _, name = target.rpartition("/")
    material, spec = scene.materials.get(material_id), INPUTS.get(name)
    if material is None or spec is None:
        return scene
    if value is None:
        return scene.with_material(
            replace(material, inputs={k: v for k, v in material.inputs.items() if k != name})
        )
    factor = tuple(float("inf") if v is None else float(v) for v in value["factor"])
    if len(factor) != spec.channels:
        raise Refused(
            f"{spec.label} takes {spec.channels} number{'s' if spec.channels > 1 else ''}.",
            target,
            "Copy from an input of the same kind.",
        )
    made = texture_of(value["texture"], scene, target) if value.get("texture") is not None else None
    layers = layers_of(value.get("layers", []), name, scene, target, made)
    return scene.with_material(
        replace(
            material,
            inputs={
                **material.inputs,
                name: Input(factor, made, bool(value.get("vertex_color", False)), "decision", layers),
            },
        )
    )


def copied_settings(
    scene: Scene, source: str, targets: Sequence[str], names: Sequence[str] = ()
) -> list[Decision]:
    """Decisions that give other materials a material's inputs: those named, or all of it with its see-through
    and sides.

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
                made.append(Decision(f"{target}/{name}", "input", _copied(name, given.inputs.get(name))))
        relief, base = given.inputs.get("height"), given.inputs.get("base_color")
        if (
            "height" in wanted
            and relief is not None
            and relief.texture is not None
            and is_invented(relief.texture.image)
        ):
            made.append(
                Decision(
                    target,
                    "invent_relief",
                    invention(relief.texture, base.texture if base is not None else None),
                )
            )
        if not names or "opacity" in names:
            made += [
                Decision(target, "alpha_mode", given.alpha_mode),
                Decision(target, "alpha_cutoff", given.alpha_cutoff),
            ]
        if not names:
            made.append(Decision(target, "double_sided", given.double_sided))
    return made


def _copied(name: str, given: Input | None) -> dict[str, Any] | None:
    """An input as a value; what was invented for it is left out, since it is invented again."""
    if given is None or (name == "height" and given.texture is not None and is_invented(given.texture.image)):
        return None
    return input_value(
        given.retextured(lambda t: replace(t, image=made_from(t.image)) if is_invented(t.image) else t)
    )


def swapped_inputs(scene: Scene, material_id: str, first: str, second: str) -> list[Decision]:
    """Decisions that swap what two inputs of a material read.

    Raises:
        Refused: no such material or input, or two inputs of different kinds.
    """
    material = scene.materials.get(material_id)
    if material is None or first not in INPUTS or second not in INPUTS:
        raise Refused("There is no such input.", f"{material_id}/{first}", "Reload the page.")
    if INPUTS[first].channels != INPUTS[second].channels or (first in VECTORS) != (second in VECTORS):
        raise Refused(
            f"{INPUTS[first].label} and {INPUTS[second].label.lower()} hold different kinds of values.",
            material_id,
            "Swap a colour with a colour, or a number with a number.",
        )
    held = {name: material.inputs.get(name) for name in (first, second)}
    return [
        Decision(f"{material_id}/{name}", "input", input_value(other) if other is not None else None)
        for name, other in ((first, held[second]), (second, held[first]))
    ]
