"""Presses that decide several things at once: the decisions they stand for."""

from __future__ import annotations

from collections.abc import Sequence

from trasloco.inventory.naming import renamed
from trasloco.mends.copied_inputs import copied_settings, swapped_inputs
from trasloco.results.route import Route
from trasloco.scene.model import Decision
from trasloco.shelf import put_on


def copying(route: Route, source: str, targets: Sequence[str], inputs: Sequence[str]) -> list[Decision]:
    """A material's settings, all or some inputs, given to others. Raises Refused: no such material."""
    return copied_settings(route.settled(), source, targets, inputs)


def swapping(route: Route, material: str, first: str, second: str) -> list[Decision]:
    """What two inputs of a material read, swapped. Raises Refused: no such input, or of another kind."""
    return swapped_inputs(route.settled(), material, first, second)


def from_shelf(route: Route, wanted: Sequence[tuple[str, str]]) -> list[Decision]:
    """Materials of the library put on slots: (slot, name) each. Raises Refused: no such slot or material."""
    scene = route.settled()
    return [decision for slot, name in wanted for decision in put_on(scene, slot, name)]


def renaming(route: Route, ids: Sequence[str], pattern: str, find: str) -> dict[str, str]:
    """The names a pattern would give to parts, materials and images, by their ids; nothing is decided yet."""
    scene = route.settled()
    groups = (scene.nodes, scene.materials, scene.images)
    named = {id: group[id].name for id in ids for group in groups if id in group}
    return renamed(named, pattern, find)
