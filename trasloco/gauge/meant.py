"""An arrival under the meanings that a gauge found: read as the program reads it."""

from __future__ import annotations

import math
from dataclasses import replace

from trasloco.gauge.lines import BY_LINE
from trasloco.outside.bends import BY_KEY, roughness_raised
from trasloco.scene.model import Scene
from trasloco.sheets.meanings import Meanings
from trasloco.sheets.model import Sheet

KINDS = {
    "sun": "Suns",
    "point": "Points",
    "spot": "Spots",
    "rectangle": "Rectangles",
    "disc": "Discs",
    "surroundings": "Surroundings",
}
"""What has a strength, as it is called on screen."""


def in_words(sheet: Sheet) -> list[tuple[str, str]]:
    """What was measured and no line of a sheet says, each with the path by which its confidence is kept."""
    meant = sheet.meanings
    made = []
    if meant.roughness_power != 1:
        made.append(
            ("meanings.roughness_power", f"Roughness is taken to the power of {meant.roughness_power:g}.")
        )
    made += [
        (
            f"meanings.strengths.{kind}",
            f"{KINDS[kind]} come in {value:.3g} times as strong, against what glows.",
        )
        for kind, value in meant.strengths.items()
    ]
    if meant.turn_deg or meant.mirrored:
        turned = f"turned by {meant.turn_deg:g}°" if meant.turn_deg else ""
        words = " and ".join(filter(None, (turned, "mirrored" if meant.mirrored else "")))
        made.append(("meanings.turn_deg", f"Surroundings are laid {words}."))
    if "up" in meant.readings:
        made.append(("meanings.readings.up", f"What is delivered comes in {meant.readings['up']}."))
    if "lengths" in meant.readings:
        made.append(
            ("meanings.readings.lengths", f"Lengths come in {meant.readings['lengths']} times as long.")
        )
    for key, value in meant.readings.items():
        line = BY_LINE.get(key)
        words = next((one.words for one in line.readings if str(one.value) == value), "") if line else ""
        if line is not None and words:
            made.append((f"meanings.readings.{key}", f"{line.label}: {words}."))
    if meant.curve.stops:
        named = f"the open curve “{meant.curve.formula}”" if meant.curve.formula else "a curve of its own"
        made.append(
            (
                "meanings.curve",
                f"Light is shown by {named}; switch it on for a proof among the after-effects.",
            )
        )
    return made


def as_meant(scene: Scene, sheet: Sheet) -> Scene:
    """What a program makes of an arrival, by what its sheet has of it that was measured."""
    meant = sheet.meanings
    if meant == Meanings():
        return scene
    if meant.roughness_power != 1:
        scene = roughness_raised(meant.roughness_power)(scene) or scene
    for key, value in meant.readings.items():
        line = BY_LINE.get(key)
        reading = next((one for one in line.readings if str(one.value) == value), None) if line else None
        if reading is not None and reading.bend is not None:
            scene = reading.bend(scene) or scene
    strengths = {str(kind): value for kind, value in meant.strengths.items()}
    scene = replace(
        scene,
        lights={
            id: replace(one, intensity=one.intensity * strengths.get(one.kind, 1.0))
            for id, one in scene.lights.items()
        },
    )
    if scene.environment is None:
        return scene
    if meant.mirrored:
        scene = BY_KEY["mirrored"].bend(scene) or scene
    around = scene.environment
    assert around is not None
    return replace(
        scene,
        environment=replace(
            around,
            turn_rad=around.turn_rad + math.radians(meant.turn_deg),
            level=around.level * strengths.get("surroundings", 1.0),
        ),
    )
