"""What came, went and changed between two states of a move: two revisions, or two handovers."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from trasloco.results.listing.grammar import Entry, read
from trasloco.results.listing.listing import entries_of
from trasloco.results.route import Route
from trasloco.scene.digest import digest
from trasloco.scene.model import Scene

How = Literal["came", "went", "changed"]


@dataclass(frozen=True)
class Said:
    """A line that says something else now; empty where it said nothing."""

    key: str
    before: str
    after: str


@dataclass(frozen=True)
class Changed:
    """A thing that came, went or changed."""

    kind: str
    id: str
    name: str
    how: How
    lines: tuple[Said, ...] = ()


@dataclass(frozen=True)
class File:
    """A file that came, went or changed, with its bytes before and after, 0 where it was not there."""

    path: str
    how: How
    before: int
    after: int


def lists_between(before: str, after: str) -> list[Changed]:
    """Between two packing lists, as text or JSON."""
    return things_between(read(before)[0], read(after)[0])


def revisions_between(before: Route, after: Route) -> list[Changed]:
    """Between two revisions of a delivery: what lists say, and geometry."""
    old, new = before.reference(), after.reference()
    return things_between(_with_geometry(entries_of(before), old), _with_geometry(entries_of(after), new))


def things_between(before: Iterable[Entry], after: Iterable[Entry]) -> list[Changed]:
    """Things of one kind and id are the same; what changed first, then what came, then what went."""
    old = {(one.kind, one.id): one for one in before}
    new = {(one.kind, one.id): one for one in after}
    changed = [
        Changed(one.kind, one.id, one.name, "changed", lines)
        for place, one in new.items()
        if place in old and (lines := _lines(old[place], one))
    ]
    came = [_whole(one, "came") for place, one in new.items() if place not in old]
    went = [_whole(one, "went") for place, one in old.items() if place not in new]
    return [*changed, *came, *went]


def files_between(
    before: Mapping[str, tuple[str, int]], after: Mapping[str, tuple[str, int]]
) -> tuple[list[File], int]:
    """Between files by path, each a digest and bytes: those that differ, and how many are the same."""
    found = []
    for path in sorted({*before, *after}):
        old, new = before.get(path), after.get(path)
        if old is None and new is not None:
            found.append(File(path, "came", 0, new[1]))
        elif new is None and old is not None:
            found.append(File(path, "went", old[1], 0))
        elif old is not None and new is not None and old[0] != new[0]:
            found.append(File(path, "changed", old[1], new[1]))
    return found, sum(after[path][0] == held[0] for path, held in before.items() if path in after)


def _whole(entry: Entry, how: How) -> Changed:
    return Changed(entry.kind, entry.id, entry.name, how)


def _lines(old: Entry, new: Entry) -> tuple[Said, ...]:
    keys = dict.fromkeys(key for key in (*old.says, *new.says) if key != _POINTS)
    said = [Said("name", old.name, new.name)] if old.name != new.name else []
    said += [Said(key, old.says.get(key, ""), new.says.get(key, "")) for key in keys]
    if old.says.get(_POINTS) != new.says.get(_POINTS) and old.says.get(_FACES) == new.says.get(_FACES):
        said.append(Said(_FACES, old.says.get(_FACES, ""), "as many, lying otherwise"))
    return tuple(one for one in said if one.before != one.after)


_FACES, _POINTS = "geometry", "points"
"""How many faces a part has, and a digest of everything about them, which is nothing to read."""


def _with_geometry(entries: Sequence[Entry], scene: Scene) -> list[Entry]:
    """What a list says, and of parts their geometry."""
    parts = {part.id.removeprefix("part:"): scene.meshes[part.mesh or ""] for part in scene.parts()}
    made = []
    for entry in entries:
        mesh = parts.get(entry.id) if entry.kind == "part" else None
        if mesh is not None:
            faces = sum(len(p.indices) for p in mesh.primitives)
            told = {
                _FACES: f"{faces} faces in {len(mesh.primitives)} slots",
                _POINTS: digest(mesh.primitives),
            }
            entry = replace(entry, says={**entry.says, **told})
        made.append(entry)
    return made
