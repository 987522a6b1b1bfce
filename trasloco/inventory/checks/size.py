"""Unit and up axis: who says so, and whether the result is plausible."""

from __future__ import annotations

import math
from collections.abc import Iterator

from trasloco.inventory.context import Context
from trasloco.mends.settling import believed_axis, believed_unit
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.lengths import unit_name
from trasloco.scene.model import Decision


def ranked_units(size_units: float, believed_m: float, origin: str) -> list[float]:
    """Units that a scene of some units across may be in, the likeliest first.

    Things that people model are about as large as people: each unit is judged by how many times larger or
    smaller than 1.7 m it makes the scene,
    counted in powers of ten. What the source's sheet says is given a power of ten, a bare guess a third of
    one.
    """
    trust = {"file": 1.3, "sheet": 1.0, "decision": 2.0}.get(origin, 0.35)
    candidates = dict.fromkeys((believed_m, 1.0, 0.01, 0.001, 0.0254, 0.3048))
    away = {
        value: abs(math.log10(max(size_units * value, 1e-12) / 1.7)) - (trust if value == believed_m else 0.0)
        for value in candidates
    }
    return sorted(candidates, key=lambda value: away[value])


def unit_doubt(context: Context) -> Iterator[Finding]:
    unit = believed_unit(context.received, context.source, context.decisions)
    box = context.box
    if box is None:
        return
    height = float((box[1] - box[0])[1])
    size = float((box[1] - box[0]).max())
    implausible = not 0.01 <= size <= 500
    if unit.origin in ("file", "decision") and not implausible:
        return
    told = {
        "file": "The file says",
        "sheet": f"The file does not say. {context.source.name} works in",
        "guess": "Nobody says; taken as",
        "decision": "You chose",
    }[unit.origin]
    fits = f"The scene is then {height:.2f} m high beside a person of 1.70 m."
    if implausible:
        fits += f" {size:.3g} m across is hard to believe; a factor of 100, 0.01 or 0.0254 may be missing."
    ranked = ranked_units(size / unit.value, unit.value, unit.origin)
    mends = tuple(Mend(f"Set {unit_name(value)}", (Decision("scene", "unit_m", value),)) for value in ranked)
    if ranked[0] != unit.value:
        fits += f" In {unit_name(ranked[0])} it would be {height / unit.value * ranked[0]:.2f} m."
    yield Finding(
        "unit:scene",
        "unit",
        "Unit in doubt",
        f"1 unit = {unit.value:g} m · {unit.origin}",
        f"{told} {unit_name(unit.value)}. {fits}",
        (),
        75 if implausible else 50,
        {"unit_m": unit.value, "height_m": height, "origin": unit.origin, "likeliest_m": ranked[0]},
        mends,
    )


def axis_doubt(context: Context) -> Iterator[Finding]:
    axis = believed_axis(context.received, context.source, context.decisions)
    if axis.origin in ("file", "decision"):
        return
    told = (
        f"The file does not say. {context.source.name} works {axis.value} up."
        if axis.origin == "sheet"
        else f"Nobody says; {axis.value} is taken for up."
    )
    other = [value for value in ("Y", "Z") if value != axis.value]
    mends = (
        Mend(f"Set {axis.value} up", (Decision("scene", "up_axis", axis.value),)),
        *(Mend(f"Set {value} up", (Decision("scene", "up_axis", value),)) for value in other),
    )
    yield Finding(
        "axis:scene",
        "axis",
        "Up axis in doubt",
        f"{axis.value} up · {axis.origin}",
        f"{told} Taken wrongly, everything lies on its side.",
        (),
        48,
        {"axis": axis.value, "origin": axis.origin},
        mends,
    )
