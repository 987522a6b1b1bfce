"""What a material says beside its crossings: inputs nobody sent, sides, see-through, words."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from trasloco.accounts.model import Fact
from trasloco.fit.model import LOSSY, Passage
from trasloco.fit.tree import NO_MATERIAL
from trasloco.inputs.table import INPUTS
from trasloco.scene.model import Input, Material, Scene
from trasloco.scene.resolve import input_values


def strangers_in(
    material: Material, other: Material, landed: set[str], crossed: set[str], arrival: Scene
) -> Iterator[Fact]:
    """Inputs of the arrival that say something no crossing brought."""
    for name, given in other.inputs.items():
        if name in landed or name in crossed or (name == "opacity" and other.alpha_mode == "opaque"):
            continue
        meant = material.inputs.get(name, Input(INPUTS[name].default))
        if name == "emission_strength" and "emission" in landed:
            continue
        if meant.texture is None and not meant.layers and says_only(name, given, arrival, meant.factor):
            continue
        yield Fact(
            "input",
            material.id,
            name,
            f"{material.name}: {INPUTS[name].label.lower()}",
            numbers_told(meant.factor),
            numbers_told(given.factor),
            False,
        )


def says_only(name: str, given: Input, scene: Scene, value: tuple[float, ...]) -> bool:
    """Whether an input is one value everywhere, within a code of eight bits where an image says it, within
    what blocks and waves leave of an even colour where its kind of file has losses.
    """
    if given.texture is None:
        return not given.layers and bool(
            np.allclose(given.factor, value, rtol=1e-4, atol=1e-5)
            or (np.isinf(given.factor).all() and np.isinf(value).all())
        )
    image = scene.images.get(given.texture.image)
    if image is None or not image.usable:
        return False
    apart = np.abs(input_values(name, given, image) - np.asarray(value, np.float32))
    if image.kind in LOSSY:
        return float(np.sqrt(np.mean(apart**2))) <= _UNEVEN / 255
    return float(apart.max()) <= _EVEN / 255


_EVEN, _UNEVEN = 1.01, 6.0
"""Codes: the largest difference of an even colour; the root mean square of one in a file with losses."""


def numbers_told(factor: tuple[float, ...]) -> str:
    return " ".join(f"{v:.4g}" for v in factor)


def ways_of(material: Material, other: Material, promises: dict[Any, Passage]) -> Iterator[Fact]:
    """Sides, see-through, light, words."""
    called = promises.get(("material", material.id, "name"))
    if called is not None and called.mark == "lost":
        told = material.name
        yield Fact(
            "material", material.id, "name", told, told, "no material", False, gone=other.name == NO_MATERIAL
        )
    elif called is not None or material.name != other.name:
        kept = called is not None and called.stand_in == other.name
        same = material.name == other.name
        yield Fact("material", material.id, "name", material.name, material.name, other.name, same, kept=kept)
    both = material.double_sided or material.back is not None
    same = both == other.double_sided and material.back is None
    promise = promises.get(("material", material.id, "sides"))
    kept = promise is not None and promise.stand_in is not None and other.double_sided == promise.stand_in
    told = "both sides" if both else "one side"
    yield Fact(
        "material",
        material.id,
        "sides",
        material.name,
        told,
        "both sides" if other.double_sided else "one side",
        same,
        kept=kept,
    )
    mode = promises.get(("material", material.id, "see-through"))
    cut = material.alpha_mode != "mask" or abs(material.alpha_cutoff - other.alpha_cutoff) < 1e-4
    same = material.alpha_mode == other.alpha_mode and cut
    kept = mode is not None and mode.stand_in == other.alpha_mode
    yield Fact(
        "material", material.id, "see-through", material.name, _mode(material), _mode(other), same, kept=kept
    )
    if material.unlit or other.unlit:
        same = material.unlit == other.unlit
        yield Fact(
            "material",
            material.id,
            "without light",
            material.name,
            _lit(material),
            _lit(other),
            same,
            gone=not other.unlit,
        )
    for key in ("extras", "extensions"):
        sent, got = material.payload.get(key), other.payload.get(key)
        if sent or got:
            aspect = "properties" if key == "extras" else key
            yield Fact(
                "material",
                material.id,
                aspect,
                material.name,
                f"{_count(sent)} {aspect}",
                f"{_count(got)}",
                sent == got,
                gone=not got,
            )


def _count(held: object) -> int:
    """How many things stand in what a file holds beside what is understood: anything may."""
    return len(held) if isinstance(held, list | dict) else int(held is not None)


def _mode(material: Material) -> str:
    cut = f" at {material.alpha_cutoff:.3g}" if material.alpha_mode == "mask" else ""
    return {"opaque": "solid", "mask": "cut out", "blend": "blended"}[material.alpha_mode] + cut


def _lit(material: Material) -> str:
    return "without light" if material.unlit else "lit"
