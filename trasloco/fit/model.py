"""A plan: one crossing per material input, the images they land in, the lights, the geometry."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal

from trasloco.fit.geometry.shape_wishes import ShapeWish
from trasloco.scene.coding import Coding
from trasloco.scene.images import Image
from trasloco.scene.model import Input, Scene

Mark = Literal["exact", "close", "lost", "blocked"]
LOSSY: dict[str, str] = {
    "jpg": "JPEG keeps the look and not every code.",
    "ktx2": "Compressed in blocks of 4 × 4 texels; keeps the look and not every code.",
    "dds": "Compressed in blocks of 4 × 4 texels; keeps the look and not every code.",
}
"""Kinds of image file that do not give back what was written, and what to say of them."""


@dataclass(frozen=True)
class Step:
    """One conversion, in plain words, with what it needs to be carried out. Its kind is one of
    :mod:`trasloco.fit.steps`.
    """

    kind: str
    text: str
    settings: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Landing:
    """Where a crossing ends: a channel of a delivered image, or a constant, or nowhere."""

    input: str = ""
    image: str = ""
    channel: str = ""
    value: tuple[float, ...] = ()


@dataclass(frozen=True)
class Crossing:
    """One material input on its way.

    Attributes:
        id: ``material id/input``. name: input at the source. label: its name on screen ("Gloss").
        given: what it is in the reference. steps: conversions in order. landing: where it ends.
        mark, reason: how well it arrives and why. error: largest difference in codes of the destination's bit
            depth, None when nothing was measured.
        rms: root mean square difference of values in [0, 1], for what was resampled.
    """

    id: str
    material: str
    name: str
    label: str
    given: Input
    steps: tuple[Step, ...]
    landing: Landing
    mark: Mark
    reason: str
    error: float | None = None
    rms: float | None = None


def together_id(mesh: str) -> str:
    """Id of the one material that is drawn for all slots of a mesh."""
    return f"together:{mesh}"


@dataclass(frozen=True)
class PlannedImage:
    """A delivered image file: its path in the package, size, encoding, and which crossing fills each channel.
    ``depth`` is of the codes by which it is compared.

    ``fill`` has constants for channels that no crossing fills. ``copy`` names a source image that is passed
    on as it is. ``coding`` and ``loss`` are what the destination's sheet asks of image files. What is drawn
    for all slots of a mesh is ``of`` that mesh, and ``others`` are the materials it has beside the first.
    """

    path: str
    material: str
    set: str
    width: int
    height: int
    depth: int
    kind: str
    encoding: Literal["srgb", "linear"]
    channels: Mapping[str, str]
    fill: Mapping[str, float]
    copy: str = ""
    coding: Coding = Coding()
    loss: float = 0.0
    others: tuple[str, ...] = ()
    of: str = ""

    @property
    def wearer(self) -> str:
        """Id of the delivered material that wears it."""
        return together_id(self.of) if self.of else self.material

    @property
    def file_depth(self) -> int:
        """Bits a channel of what is written: ``depth``, or 32 where values are stored as they are."""
        return 32 if self.kind == "exr" else self.depth

    @property
    def lossy(self) -> bool:
        """Whether its kind of file does not give back every code that was written."""
        return self.kind in LOSSY


@dataclass(frozen=True)
class LightCrossing:
    """A light on its way: which, what becomes of it, how well."""

    light: str
    text: str
    mark: Mark


@dataclass(frozen=True)
class MeshCrossing:
    """A mesh that does not arrive as it is: the parts that wear it, what is asked, and what that costs once
    it was done.

    ``before`` and ``after`` count triangles; ``largest_m`` and ``mean_m`` are the distance from what was
    given, None before it was measured.
    """

    mesh: str
    parts: tuple[str, ...]
    wish: ShapeWish
    before: int
    text: str
    mark: Mark = "close"
    after: int = 0
    largest_m: float | None = None
    mean_m: float | None = None
    reason: str = ""


@dataclass(frozen=True)
class Passage:
    """What becomes of something beside a material input: a promise, made before anything is written.

    Attributes:
        kind, item, aspect: what it is of, ``("mesh", "mesh:trunk", "tangents")``; ``item`` is an id in the
            reference.
        mark, text: how well it arrives; how, or why not.
        stand_in: what arrives instead, where it is known beforehand. bound: how far off it may be, in the
            unit of what is compared.
    """

    kind: str
    item: str
    aspect: str
    mark: Mark
    text: str = ""
    stand_in: Any = None
    bound: float = 0.0

    @property
    def key(self) -> tuple[str, str, str]:
        return self.kind, self.item, self.aspect


@dataclass(frozen=True)
class Plan:
    """Everything that will be done, ready to be carried out.

    ``atlases`` has the side in texels of each material's atlas, where something is drawn into one.
    ``between`` is how materials come to the destination's terms, where each part gets one that is drawn of
    them.
    """

    destination: str
    crossings: tuple[Crossing, ...]
    images: tuple[PlannedImage, ...]
    lights: tuple[LightCrossing, ...]
    geometry: tuple[Step, ...]
    alpha: Mapping[str, str]
    atlases: Mapping[str, int] = field(default_factory=dict)
    untouched: bool = False
    meshes: tuple[MeshCrossing, ...] = ()
    passages: tuple[Passage, ...] = ()
    between: Plan | None = None

    @cached_property
    def _by_material(self) -> dict[str, list[Crossing]]:
        found: dict[str, list[Crossing]] = {}
        for crossing in self.crossings:
            found.setdefault(crossing.material, []).append(crossing)
        return found

    def of(self, material: str) -> list[Crossing]:
        return list(self._by_material.get(material, ()))


@dataclass(frozen=True)
class Carried:
    """The delivered scene in the destination's terms, with its images (and lightmaps, once there are any);
    ``plan`` has the marks as measured.
    """

    scene: Scene
    plan: Plan
    images: Mapping[str, Image]
