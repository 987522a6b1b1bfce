"""What is delivered together so that choices under a budget can be measured: all images smaller, or as files
of another kind, or all meshes coarser; and how the choices of one item line up.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from typing import Literal

from trasloco.decisions.kinds import in_force
from trasloco.decisions.materials import FileAsked, file_words
from trasloco.fit.memory import SMALLEST_SIDE
from trasloco.fit.model import together_id
from trasloco.fit.together.between import one_a_part
from trasloco.fit.way import kinds_to_choose
from trasloco.proof.sharing_out import Choice
from trasloco.results.route import Route
from trasloco.scene.model import Decision

ItemKind = Literal["images", "mesh", "lightmaps"]
_HALVINGS, _FEWER = 4, 3
"""How often an image's sides, and a mesh's triangles, are halved."""
_HALVINGS_OF_FILES = 1
"""The same of images as files of another kind."""
_LOSSES: dict[str, tuple[float, ...]] = {"jpg": (0.5, 2.0), "ktx2": (0.0,)}
"""Mean ΔE over texels that files of a kind are let lose; kinds that keep every code save little."""
_FEW = 200
"""Meshes of fewer triangles stay as they are."""


@dataclass(frozen=True)
class Rung:
    """One choice of an item: what it takes by resource, and mean ΔE over the frame that it loses.

    ``words`` tells what it would be; ``decisions`` make it so, none for as it is.
    """

    words: str
    choice: Choice
    decisions: tuple[Decision, ...] = ()


@dataclass(frozen=True)
class Step:
    """What is delivered together: ``wanted`` makes each item so. ``sides``: of images, the longest then."""

    kind: Literal["images", "mesh"]
    halved: int
    wanted: Mapping[str, tuple[Decision, ...]]
    file: FileAsked | None = None
    sides: Mapping[str, int] = field(default_factory=dict)

    @property
    def words(self) -> str:
        if self.kind == "mesh":
            return "meshes made coarser"
        return f"images as {self.as_file}" if self.as_file else "images made smaller"

    @property
    def as_file(self) -> str:
        """The kind of file in words, empty for the destination's own."""
        return file_words(self.file) if self.file is not None else ""

    def told(self, id: str, triangles: int) -> str:
        """What an item would be."""
        if self.kind == "mesh":
            return f"{triangles} triangles"
        return f"{self.sides[id]} a side" + (f", {self.as_file}" if self.as_file else "")


@dataclass
class Ladder:
    """The choices of an item, as they are measured one after the other."""

    kind: ItemKind
    whole: Rung
    _at: dict[tuple[int, str], Choice] = field(default_factory=dict)
    _rungs: dict[tuple[int, str], Rung] = field(default_factory=dict)

    @property
    def rungs(self) -> tuple[Rung, ...]:
        """As it is, then ever smaller, of one size as files of other kinds after what is of its own."""
        return (self.whole, *(rung for _, rung in sorted(self._rungs.items(), key=lambda one: one[0])))

    def add(self, halved: int, rung: Rung, file: str = "") -> None:
        """One more, where it takes less of anything than what was there.

        What is smaller yet, or a file of another kind as large, cannot lose less: what seems so is noise.
        """
        larger = self._at.get((halved - 1, file))
        plain = self._at.get((halved, "")) if file else None
        floor = max(one.loss for one in (larger, plain, self.whole.choice) if one is not None)
        choice = Choice(rung.choice.costs, max(rung.choice.loss, floor))
        self._at[halved, file] = choice
        beside = (plain if file else larger) or self.whole.choice
        if any(a < b for a, b in zip(choice.costs, beside.costs, strict=True)):
            self._rungs[halved, file] = Rung(rung.words, choice, rung.decisions)


@dataclass(frozen=True)
class Wearers:
    """Who wears what can be made smaller, by part: ``images`` are delivered materials of their own, none where
    materials are those of the reference; ``mesh`` is the first part that wears the same.
    """

    images: Mapping[str, str]
    mesh: Mapping[str, str]

    def asked_of(self, id: str) -> str:
        """What is decided about, so that the images of a delivered material change."""
        return next((part for part, worn in self.images.items() if worn == id), id)


def wearers_of(route: Route) -> Wearers:
    meshes = {part.id: part.mesh or "" for part in route.reference().parts()}
    first: dict[str, str] = {}
    for id, mesh in meshes.items():
        first.setdefault(mesh, id)
    together = one_a_part(route.destination)
    return Wearers(
        {id: together_id(mesh) for id, mesh in meshes.items()} if together else {},
        {id: first[mesh] for id, mesh in meshes.items()},
    )


def steps_of(
    route: Route, sizes: Mapping[str, int], counts: Mapping[str, int], wearers: Wearers
) -> list[Step]:
    """The images of all materials halved so often, then as files of other kinds, then all meshes."""
    found = [*_smaller(sizes, wearers), *_as_files(route, sizes)]
    found += [
        Step(
            "mesh",
            halved,
            {id: (Decision(id, "triangles", max(count >> halved, 12)),) for id, count in counts.items()},
        )
        for halved in range(1, _FEWER + 1)
    ]
    return [step for step in found if step.wanted]


def _smaller(sizes: Mapping[str, int], wearers: Wearers) -> Iterator[Step]:
    for halved in range(1, _HALVINGS + 1):
        sides = {id: side >> halved for id, side in sizes.items() if side >> halved >= SMALLEST_SIDE}
        wanted = {id: (Decision(wearers.asked_of(id), "largest_side", side),) for id, side in sides.items()}
        yield Step("images", halved, wanted, sides=sides)


def _as_files(route: Route, sizes: Mapping[str, int]) -> Iterator[Step]:
    """Where materials have files of their own, of which the destination reads several kinds."""
    asked: list[FileAsked] = [
        {"kind": kind, "loss": loss}
        for kind in kinds_to_choose(route.destination)
        for loss in _LOSSES.get(kind, ())
    ]
    for halved in range(_HALVINGS_OF_FILES + 1):
        sides = {id: side >> halved for id, side in sizes.items() if side >> halved >= SMALLEST_SIDE}
        for file in asked:
            wanted = {
                id: (
                    *((Decision(id, "largest_side", side),) if halved else ()),
                    Decision(id, "file_kind", file),
                )
                for id, side in sides.items()
            }
            yield Step("images", halved, wanted, file, sides)


def sizes_of(route: Route) -> dict[str, int]:
    """Delivered materials with images, and the power of two that their longest side is, or just below it."""
    longest: dict[str, int] = {}
    for image in route.plan().images:
        longest[image.wearer] = max(longest.get(image.wearer, 0), image.width, image.height)
    return {
        id: side if side & (side - 1) == 0 else 1 << (side.bit_length() - 1)
        for id, side in longest.items()
        if side >= 2 * SMALLEST_SIDE
    }


def counts_of(route: Route) -> dict[str, int]:
    """Parts whose triangles can be fewer, the first of those that share them, and how many are delivered."""
    finer = {d.target for d in in_force(route.decisions) if d.field == "subdivide" and d.value}
    after = {m.mesh: m.after for m in route.plan().meshes}
    found: dict[str, int] = {}
    worn: set[str] = set()
    scene = route.reference()
    for part in scene.parts():
        shape = part.mesh or ""
        count = after.get(shape) or sum(len(p.indices) for p in scene.meshes[shape].primitives)
        if shape not in worn and count >= _FEW and part.id not in finer:
            found[part.id] = count
        worn.add(shape)
    return found
