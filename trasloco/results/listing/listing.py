"""The packing list of a move as it stands, and what a changed one decides."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from trasloco.decisions.kinds import typed
from trasloco.errors import Refused
from trasloco.inputs.table import INPUTS
from trasloco.results.listing.grammar import Entry, Misread, as_json, read, written
from trasloco.results.listing.keys import (
    CAMERA,
    LAMP,
    MATERIAL,
    PART,
    SCENE,
    Key,
    State,
    input_keys,
    inputs_of,
    placed,
)
from trasloco.results.listing.values import Unclear
from trasloco.results.route import Route
from trasloco.scene.model import Decision

_PREFIX = {"part": "part:", "material": "material:", "lamp": "light:", "camera": "camera:", "scene": ""}
_BY_LABEL = {row.label.casefold(): name for name, row in INPUTS.items()}
HOW = (
    "Change what stands behind a colon, here or in any editor, and hand it back: what changed is decided,",
    "all else stays. A colour is three linear numbers or #rrggbb. What is not listed of a material can be added:",
    "clear coat: 0.5, or roughness image: scratches.png, g.",
)


@dataclass(frozen=True)
class Changes:
    """What a list that was handed back decides, in words as well, and the lines that cannot be understood.
    Where there are any, nothing is decided.
    """

    decisions: list[Decision]
    words: list[str]
    misread: list[Misread]


def entries_of(route: Route) -> list[Entry]:
    """Everything that a list tells: the scene, parts, materials, lamps, cameras."""
    state = State(route)
    scene = state.scene
    found = [_entry(state, "scene", "scene", scene.name, SCENE)]
    found += [_entry(state, "part", part.id, part.name, PART) for part in scene.parts()]
    found += [
        _entry(state, "material", m.id, m.name, [*MATERIAL, *inputs_of(scene, m.id)])
        for m in scene.materials.values()
    ]
    found += [_entry(state, "lamp", one.id, one.name, LAMP) for one in scene.lights.values()]
    found += [_entry(state, "camera", one.id, one.name, CAMERA) for one in scene.cameras.values()]
    return found


def _entry(state: State, kind: str, id: str, name: str, keys: Sequence[Key]) -> Entry:
    told = {key.key: value for key in keys if (value := key.tell(state, id)) is not None}
    return Entry(kind, _short(kind, id), name, told)


def _short(kind: str, id: str) -> str:
    """An id without what its kind says already."""
    return id.removeprefix(_PREFIX[kind]) or id


def heading(route: Route, number: int | None = None) -> list[str]:
    title = f"Packing list of {route.reference().name} for {route.destination.name}"
    return [title + (f", number {number}" if number is not None else ""), *HOW]


def number_in(text: str) -> int | None:
    """The number of the delivery that a list lay beside, out of its heading; None where it says none."""
    told = re.search(r", number (\d{1,8})\b", text[:1000])
    return int(told[1]) if told else None


def list_text(route: Route, number: int | None = None) -> str:
    """The list as text."""
    return written(heading(route, number), entries_of(route))


def list_json(route: Route, number: int | None = None) -> str:
    """The list for programs."""
    return as_json(heading(route, number), entries_of(route))


def changes_of(route: Route, text: str, before: str | None = None) -> Changes:
    """What a list that was handed back changes: against the list it was made from, where that is given, else
    against the move as it stands.
    """
    entries, misread = read(text)
    state = State(route)
    now = {(one.kind, one.id): one for one in entries_of(route)}
    was = now if before is None else {(one.kind, one.id): one for one in read(before)[0]}
    decisions: list[Decision] = []
    words: list[str] = []
    for entry in entries:
        place = entry.kind, entry.id
        if place not in now:
            misread.append(_unknown(entry, place in was))
            continue
        said = was[place].says if place in was else {}
        for key, value in entry.says.items():
            if said.get(key) == value or (key not in said and now[place].says.get(key) == value):
                continue
            line = entry.lines.get(key, entry.line)
            try:
                made = _decided(state, entry, key, value)
            except (Unclear, Refused) as error:
                why = error.what if isinstance(error, Refused) else "It cannot be understood."
                remedy = error.remedy if isinstance(error, Refused) else str(error)
                misread.append(Misread(line, f"{key}: {value}", why, remedy))
                continue
            decisions += made
            if made:
                words.append(
                    f"{now[place].name}, {key}: {said.get(key, now[place].says.get(key, 'not said'))} → {value}"
                )
    if misread:
        return Changes([], [], sorted(misread, key=lambda one: one.line))
    return Changes(_merged(route, decisions), words, [])


def _unknown(entry: Entry, was_there: bool) -> Misread:
    text = f"{entry.kind} {entry.name} [{entry.id}]"
    if entry.kind not in _PREFIX:
        kinds = ", ".join(_PREFIX)
        return Misread(
            entry.line, text, f"There is no kind of thing called {entry.kind}.", f"Write one of: {kinds}."
        )
    why = "It has left the move since." if was_there else f"There is no such {entry.kind} in this move."
    return Misread(
        entry.line, text, why, "Leave the id in brackets as it was, or take the thing out of the list."
    )


def _decided(state: State, entry: Entry, key: str, value: str) -> list[Decision]:
    """The decisions of a changed line.

    Raises:
        Unclear: the key is not known, or the value cannot be understood.
        Refused: the value is out of range.
    """
    scene = state.scene
    groups = (scene.nodes, scene.materials, scene.lights, scene.cameras)
    full = _PREFIX[entry.kind] + entry.id
    id = full if any(full in group for group in groups) else entry.id
    keys = {"part": PART, "lamp": LAMP, "camera": CAMERA, "scene": SCENE}.get(entry.kind, MATERIAL)
    known = {one.key: one for one in keys}
    if entry.kind == "material":
        known |= {one.key: one for one in inputs_of(state.scene, id)}
        label = key.removesuffix(" image").removesuffix(" strength")
        if key not in known and label in _BY_LABEL:
            known |= {one.key: one for one in input_keys(_BY_LABEL[label], None)}
    if key not in known:
        raise Unclear(f"Nothing is called so here. Keys are: {', '.join(known)}.")
    made = list(known[key].decide(state, id, value))
    for decision in made:
        typed(decision)
    return made


def _merged(route: Route, decisions: Sequence[Decision]) -> list[Decision]:
    """Several lines of one thing's place are one decision, over what was decided of it before."""
    made: list[Decision] = []
    places: dict[str, dict[str, object]] = {}
    for one in decisions:
        if one.field == "place":
            places.setdefault(one.target, placed(route, one.target)).update(one.value)
        else:
            made.append(one)
    return [*made, *(Decision(target, "place", value) for target, value in places.items())]
