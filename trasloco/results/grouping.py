"""Presses on parts and groups that decide several things at once: grouped, taken apart, left out, taken
along, dressed.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import Any

from trasloco.errors import Refused
from trasloco.mends.beneath import nodes_beneath, parts_beneath
from trasloco.mends.settling import AXIS_AND_UNIT, decided
from trasloco.results.route import Route
from trasloco.scene.model import Decision, Scene

_MADE = "part:made-"


def holder_of(scene: Scene, id: str) -> str | None:
    """What holds a part or group, as the artist knows it: the place that settles axis and unit is no group."""
    parent = scene.nodes[id].parent
    return None if parent == AXIS_AND_UNIT else parent


def grouping(route: Route, name: str, ids: Sequence[str]) -> tuple[str, list[Decision]]:
    """A new group around some parts and groups, where they all are held by one in that one; its id with the
    decisions.

    Raises:
        Refused: nothing is chosen, or something of it is not there.
    """
    scene = _holding(route, ids)
    tops = _tops(scene, ids)
    holders = {holder_of(scene, id) for id in tops}
    taken = {*scene.nodes, *(d.target for d in route.decisions)}
    made = next(id for n in itertools.count(1) if (id := f"{_MADE}{n}") not in taken)
    value = {"name": name, "parent": holders.pop() if len(holders) == 1 else None}
    return made, [Decision(made, "grouped", value), *(Decision(id, "parent", made) for id in tops)]


def moving_to(route: Route, group: str | None, ids: Sequence[str]) -> list[Decision]:
    """Parts and groups put into a group, or into none; what is in a chosen group stays there."""
    scene = _holding(route, ids)
    return [Decision(id, "parent", group) for id in _tops(scene, ids) if id != group]


def ungrouping(route: Route, ids: Sequence[str]) -> list[Decision]:
    """Groups taken apart: what each holds goes to what holds the group, and the group goes.

    Raises:
        Refused: nothing is chosen, or something of it is no group of the move.
    """
    scene = _holding(route, ids)
    here = {d.target for d in route.decisions if d.field == "grouped"}
    made: list[Decision] = []
    for id in ids:
        if scene.nodes[id].mesh is not None:
            raise Refused("A part is no group.", scene.nodes[id].name, "Choose the group that holds it.")
        holder = holder_of(scene, id)
        while holder in ids:  # taken apart as well
            holder = holder_of(scene, str(holder))
        made += [
            Decision(node.id, "parent", holder)
            for node in scene.nodes.values()
            if node.parent == id and node.id not in ids
        ]
    return [
        *made,
        *(Decision(id, "grouped", None) if id in here else Decision(id, "include", False) for id in ids),
    ]


def leaving_slot_out(route: Route, ids: Sequence[str], material: str, back: bool) -> list[Decision]:
    """What wears a material left out of parts and whole groups, or taken along again; a part that wears
    nothing else is left out itself.

    Raises:
        Refused: nothing is chosen, or none of it wears that.
    """
    scene, made = _holding(route, ids), []
    for part in dict.fromkeys(part for id in ids for part in parts_beneath(scene, id)):
        told = decided(route.decisions, part, "without_slots")
        held = list(told.value) if told is not None else []
        if back:
            if material in held:
                made.append(Decision(part, "without_slots", [one for one in held if one != material]))
            continue
        worn = {p.material for p in scene.meshes[scene.nodes[part].mesh or ""].primitives}
        if worn == {material}:
            made.append(Decision(part, "include", False))
        elif material in worn:
            made.append(Decision(part, "without_slots", [*held, material]))
    if not made:
        raise Refused(
            "Nothing of what is chosen wears that.", material, "Choose other parts, or another slot."
        )
    return made


def leaving_out(route: Route, ids: Sequence[str]) -> list[Decision]:
    """Parts left out each by itself, groups by a rule, which holds for what is added to them later."""
    scene, rules = _holding(route, ids), _rules(route)
    groups = [id for id in ids if scene.nodes[id].mesh is None]
    fresh = [{"group": id} for id in groups if {"group": id} not in rules]
    return [
        *([Decision("scene", "leave_out", [*rules, *fresh])] if fresh else []),
        *(Decision(id, "include", False) for id in ids if id not in groups),
    ]


def taking_along(route: Route, ids: Sequence[str]) -> list[Decision]:
    """Parts taken along again, and everything beneath groups, whatever a rule says."""
    scene, rules = _holding(route, ids), _rules(route)
    kept = [rule for rule in rules if rule.get("group") not in ids]
    coming = route.travelling()
    parts = dict.fromkeys(part for id in ids for part in parts_beneath(scene, id))
    return [
        *([Decision("scene", "leave_out", kept)] if len(kept) < len(rules) else []),
        *(Decision(part, "include", True) for part in parts if part in ids or part not in coming),
    ]


def dressing(route: Route, material: str, ids: Sequence[str], instead_of: str | None) -> list[Decision]:
    """A material on parts and groups, on all of them or in place of one slot.

    A group that was made here is filled only after parts have been dressed: each part of it is told.
    """
    scene = _holding(route, ids)
    here = {d.target for d in route.decisions if d.field == "grouped"}
    targets = dict.fromkeys(one for id in ids for one in (parts_beneath(scene, id) if id in here else [id]))
    value = {"material": material, **({"instead_of": instead_of} if instead_of else {})}
    return [Decision(target, "wears", value) for target in targets]


def _tops(scene: Scene, ids: Sequence[str]) -> list[str]:
    """Those that are beneath no other of them."""
    beneath = {inner for id in ids for inner in nodes_beneath(scene, id) - {id}}
    return [id for id in ids if id not in beneath]


def _rules(route: Route) -> list[dict[str, Any]]:
    made = decided(route.decisions, "scene", "leave_out")
    return [] if made is None else list(made.value)


def _holding(route: Route, ids: Sequence[str]) -> Scene:
    """What is shown, with everything that was left out; all of ``ids`` are in it."""
    scene = route.settled()
    missing = next((id for id in ids if id not in scene.nodes), None)
    if not ids or missing is not None:
        raise Refused(
            "There is no such part or group.", missing or "nothing chosen", "Choose some, or reload the page."
        )
    return scene
