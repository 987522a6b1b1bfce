"""Lights that cannot be meant: doubled suns, strengths out of this world, lights that send nothing."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from trasloco.inventory.context import Context
from trasloco.inventory.marking import names_of
from trasloco.inventory.naming import words_of
from trasloco.light.surroundings import find_sun, radiance_of
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.lit import Light
from trasloco.scene.model import Decision, Node

_SAME_SUN = math.cos(math.radians(5.0))
_PICTURED_SUN = math.cos(math.radians(15.0))
MOST = {
    "sun": 200_000.0,
    "point": 100_000.0,
    "spot": 1_000_000.0,
    "rectangle": 1_000_000.0,
    "disc": 1_000_000.0,
}
"""The sun outside the atmosphere gives 128,000 lux; a stage lamp 100,000 candela, a search light a million.

Panels are counted by what they send straight ahead: nit times square metres.
"""
_UNITS = {"sun": "lx", "rectangle": "nit", "disc": "nit"}


def _lamps(context: Context) -> list[Node]:
    scene = context.scene
    return [
        node
        for node in scene.nodes.values()
        if node.light in scene.lights and node.light is not None and scene.lights[node.light].enabled
    ]


def doubled_suns(context: Context) -> Iterator[Finding]:
    """Suns that shine the same way, or the way of the sun in the picture that surrounds the scene."""
    scene, world = context.scene, context.scene.world_matrices()
    suns = [node for node in _lamps(context) if scene.lights[node.light or ""].kind == "sun"]
    towards = {
        node.id: world[node.id][:3, 2] / max(float(np.linalg.norm(world[node.id][:3, 2])), 1e-30)
        for node in suns
    }
    for number, one in enumerate(suns):
        twin = next(
            (other for other in suns[number + 1 :] if float(towards[one.id] @ towards[other.id]) > _SAME_SUN),
            None,
        )
        if twin is not None:
            yield Finding(
                f"doubled_sun:{one.id}",
                "doubled_sun",
                "The same sun twice",
                names_of(scene, [one.id, twin.id]),
                "Everything out of doors arrives twice as bright, with two edges to every shadow.",
                (one.id, twin.id),
                55,
                {},
                (Mend("Switch the second one off", (Decision(twin.light or "", "enabled", False),)),),
            )
    given = scene.environment
    image = scene.images.get(given.image) if given is not None else None
    if given is None or image is None or not image.usable or not suns:
        return
    pictured = find_sun(radiance_of(image, given.level), given.turn_rad)
    twin = next(
        (
            node
            for node in suns
            if pictured is not None and float(towards[node.id] @ pictured.direction) > _PICTURED_SUN
        ),
        None,
    )
    if twin is not None:
        yield Finding(
            f"doubled_sun:environment {twin.id}",
            "doubled_sun",
            "A sun beside the one in the picture",
            f"{twin.name} and {image.name}",
            "The picture that surrounds the scene has this sun already: its light counts twice.",
            (twin.id,),
            50,
            {},
            (Mend(f"Switch {twin.name} off", (Decision(twin.light or "", "enabled", False),)),),
        )


def absurd_strengths(context: Context) -> Iterator[Finding]:
    """Lights stronger than anything of their kind: a unit that was not carried, or centimetres read as
    metres.
    """
    scene = context.scene
    for node in _lamps(context):
        light = scene.lights[node.light or ""]
        most = MOST.get(light.kind, math.inf) / _area_m2(light)
        if light.intensity > most:
            unit = _UNITS.get(light.kind, "cd")
            scaled = next(
                (
                    light.intensity / factor
                    for factor in (100, 10_000)
                    if light.intensity / factor <= most / 10
                ),
                most / 10,
            )
            yield Finding(
                f"absurd_light:{light.id}",
                "absurd_light",
                "Strength out of this world",
                f"{node.name}, {light.intensity:,.0f} {unit}",
                "Nothing of its kind shines like that: a unit was lost, or squared centimetres were read as square metres. Everything else will look black.",
                (node.id,),
                52,
                {"intensity": light.intensity},
                (Mend(f"Set it to {scaled:,.0f} {unit}", (Decision(light.id, "intensity", float(scaled)),)),),
            )


def _area_m2(light: Light) -> float:
    """How much surface shines, 1 for what has none."""
    if light.kind not in ("rectangle", "disc"):
        return 1.0
    return max(light.width_m * light.height_m * (math.pi / 4 if light.kind == "disc" else 1.0), 1e-9)


def empty_lights(context: Context) -> Iterator[Finding]:
    """Lights without strength or colour."""
    scene = context.scene
    dark = [
        node
        for node in _lamps(context)
        if scene.lights[node.light or ""].intensity <= 0 or max(scene.lights[node.light or ""].color) <= 0
    ]
    if dark:
        yield Finding(
            "empty_light:scene",
            "empty_light",
            "Lights that send nothing",
            names_of(scene, [node.id for node in dark]),
            "They arrive as empty points, and cost as much as others.",
            tuple(node.id for node in dark),
            18,
            {"lights": len(dark)},
            (Mend("Leave them out", tuple(Decision(node.id, "include", False) for node in dark)),),
        )


_KINDS = {
    "sun": "sun moonlight sunlight directional sole sonne soleil",
    "spot": "spot spotlight beam follow profile gobo spots",
    "rectangle": "panel softbox area arealight",
    "point": "lamp light lantern bulb footlight candle torch luce lampada lampe licht lumière luz lampara",
}
"""Words that a lamp is called by, and the kind that they tell of; a lamp without such a word is a point."""


def lost_lamps(context: Context) -> Iterator[Finding]:
    """Empty places with a lamp's name: what the file's format, or whoever wrote it, had no lamps for."""
    scene = context.scene
    holding = {node.parent for node in scene.nodes.values()}
    moved = {joint for skin in scene.skins.values() for joint in skin.joints}
    lost: dict[str, str] = {}
    for node in scene.nodes.values():
        empty = not (node.mesh or node.light or node.camera or node.cloud)
        if not empty or node.id in holding or node.id in moved:
            continue
        words = set(words_of(node.name))
        kind = next((kind for kind, said in _KINDS.items() if words & set(said.split())), None)
        if kind is not None:
            lost[node.id] = kind
    if lost:
        yield Finding(
            "lost_lamp:scene",
            "lost_lamp",
            "Empty places with a lamp's name",
            names_of(scene, list(lost)),
            "Lamps stood there and were lost on the way: nothing shines from there any more.",
            tuple(lost),
            30,
            {"lights": len(lost)},
            (
                Mend(
                    "Make lamps of them, of the usual strength",
                    tuple(Decision(id, "shines", kind) for id, kind in lost.items()),
                ),
            ),
        )
