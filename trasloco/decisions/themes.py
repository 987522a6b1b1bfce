"""The files that hold kinds of decision, in the order in which kinds are told."""

from __future__ import annotations

from types import ModuleType

from trasloco.decisions import (
    cameras,
    choosing,
    conventions,
    faces,
    fitting,
    inputs,
    judging,
    lightmaps,
    lights,
    making,
    materials,
    moving,
    naming,
    places,
    shaping,
    slots,
    surroundings,
)

THEMES: list[ModuleType] = [
    conventions,
    choosing,
    faces,
    slots,
    making,
    places,
    materials,
    inputs,
    lights,
    surroundings,
    cameras,
    lightmaps,
    moving,
    naming,
    shaping,
    fitting,
    judging,
]
