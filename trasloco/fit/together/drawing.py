"""What the slots of a mesh wear, drawn into images over one new UV set.

Every texel takes what the input is at that place: image, number, colours on points. Relief is turned from the
directions of the old UVs to those of the new ones. It is done on the delivered materials, so that no rule of
the destination is asked twice.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from trasloco.fit.model import Carried, Crossing, Plan, PlannedImage
from trasloco.fit.together.desk import Desk
from trasloco.fit.together.own_layout import own_layout
from trasloco.fit.together.units import Unit, units_of
from trasloco.fit.together.ways import Ways, ways_of
from trasloco.hands.model import Shared, kept_in_order
from trasloco.hands.setting import hands
from trasloco.inputs.table import VECTORS
from trasloco.meshes.charting import charted
from trasloco.progress import Progress, part_of
from trasloco.scene.charts import Charted
from trasloco.scene.digest import digest
from trasloco.scene.geometry import taken
from trasloco.scene.images import Image
from trasloco.scene.joining import faceted, filled, joined_slots
from trasloco.scene.model import Material, Mesh, Primitive, Scene
from trasloco.sheets.model import Sheet

Floats = npt.NDArray[np.float32]
PADDING = 4
_GRID = 512
"""Places a side that charts are packed on."""


@dataclass(frozen=True)
class _Terms:
    """What all units are drawn from: materials and images in the destination's terms."""

    materials: Mapping[str, Material]
    images: Mapping[str, Image]
    inner: Plan
    destination: Sheet


@dataclass(frozen=True)
class _Piece:
    """A unit and how it is drawn, its slots with normals where relief needs them, their charts, and the images that
    are planned.
    """

    unit: Unit
    ways: Ways
    slots: list[Primitive]
    charts: list[Charted]
    wanted: tuple[PlannedImage, ...]


Drawn = tuple[dict[str, Image], Material, list[tuple[str, Floats]]]
"""Image files by path, the material, and by crossing how far off its image is."""


def drawn_together(
    inner: Carried, plan: Plan, reference: Scene, destination: Sheet, progress: Progress
) -> Carried:
    """What is delivered: every mesh in its one material, the images that it reads, crossings as measured.

    Raises:
        Refused: no UV charts could be made for a mesh.
    """
    assert plan.between is not None
    scene = inner.scene
    copies = _copies(reference, scene)
    units = [unit for unit in units_of(reference, destination) if copies.get(unit.mesh)]
    ways = ways_of(units, reference, destination, plan.between.alpha, plan.crossings)
    wanted: dict[str, list[PlannedImage]] = {}
    for planned in plan.images:
        wanted.setdefault(planned.of, []).append(planned)
    pieces = _charted(
        [
            _piece(unit, copies[unit.mesh][0], scene, ways[unit.mesh], tuple(wanted.get(unit.mesh, ())))
            for unit in units
        ],
        part_of(progress, 0.0, 0.5),
    )
    drawing = part_of(progress, 0.5, 1.0)
    terms = _Terms(scene.materials, scene.images, plan.between, destination)
    keys = [_key(piece, terms) for piece in pieces]
    meshes = dict(scene.meshes)
    images: dict[str, Image] = {}
    materials: dict[str, Material] = {}
    gaps: dict[str, list[Floats]] = {}
    made = kept_in_order("drawn together", keys, hands(), _drawn, Shared(terms), pieces)
    for number, (piece, (files, material, apart)) in enumerate(zip(pieces, made, strict=True)):
        images |= files
        materials[material.id] = replace(material, name=scene.nodes[piece.unit.part].name)
        meshes |= {
            copy.id: _wearing(copy, copies[piece.unit.mesh][0], piece) for copy in copies[piece.unit.mesh]
        }
        for id, gap in apart:
            gaps.setdefault(id, []).append(gap)
        drawing((number + 1) / len(units), f"{number + 1} of {len(units)} parts drawn")
    old = {image.id for image in inner.images.values()}
    kept = {id: image for id, image in scene.images.items() if id not in old}
    new = {image.id: image for image in images.values()}
    crossings = tuple(_measured(c, gaps.get(c.id)) for c in with_measures(plan, inner.plan))
    delivered = replace(scene, meshes=meshes, materials=materials, images=kept | new)
    return Carried(delivered, replace(plan, crossings=crossings, meshes=inner.plan.meshes), images)


def _drawn(terms: _Terms, piece: _Piece) -> Drawn:
    desk = Desk(
        piece.unit,
        piece.ways,
        piece.slots,
        piece.charts,
        terms.materials,
        terms.images,
        terms.inner,
        terms.destination,
        piece.wanted,
    )
    files = desk.files()
    return files, desk.material(files), list(desk.gaps(files))


def _key(piece: _Piece, terms: _Terms) -> str:
    """What a unit's images are made of."""
    worn = [terms.materials[id] for id in piece.unit.worn if id in terms.materials]
    read = {t.image for m in worn for given in m.inputs.values() for t in given.textures}
    held = [terms.images[id] for id in sorted(read) if id in terms.images]
    crossings = [terms.inner.of(id) for id in piece.unit.worn]
    alpha = [terms.inner.alpha.get(m.id) for m in worn]
    rules = terms.destination.materials.model_dump(), terms.destination.conventions.normal_green
    return digest(
        piece.unit.name,
        piece.ways,
        piece.slots,
        piece.charts,
        piece.wanted,
        worn,
        held,
        crossings,
        alpha,
        rules,
    )


def _copies(reference: Scene, scene: Scene) -> dict[str, list[Mesh]]:
    """Delivered meshes by the mesh of the reference that they are of: several where each part has its own."""
    found: dict[str, dict[str, Mesh]] = {}
    for part in reference.parts():
        node = scene.nodes.get(part.id)
        if node is not None and node.mesh in scene.meshes:
            found.setdefault(part.mesh or "", {})[node.mesh or ""] = scene.meshes[node.mesh or ""]
    return {id: list(meshes.values()) for id, meshes in found.items()}


def _piece(unit: Unit, mesh: Mesh, scene: Scene, ways: Ways, wanted: tuple[PlannedImage, ...]) -> _Piece:
    worn = [scene.materials[id] for id in unit.worn if id in scene.materials]
    relief = any(name in material.inputs for material in worn for name in VECTORS)
    slots = [faceted(p) if relief and p.normals is None else p for p in filled(mesh)]
    return _Piece(unit, ways, slots, [], wanted)


def _charted(pieces: list[_Piece], progress: Progress) -> list[_Piece]:
    """With a layout for all for which something is drawn: their own, or charts, on a coarser grid than that of a
    large image, which is as good and sooner done.
    """
    held: dict[int, list[Charted] | None] = {
        number: own_layout(piece.slots, piece.wanted[0].width)
        for number, piece in enumerate(pieces)
        if piece.wanted
    }
    waiting = [number for number, charts in held.items() if charts is None]
    squares = []
    for number in waiting:
        width = pieces[number].wanted[0].width
        grid = min(width, _GRID)
        squares.append((pieces[number].slots, grid, max(1, PADDING * grid // width)))
    held |= dict(zip(waiting, charted(squares, progress), strict=True))
    return [replace(piece, charts=held.get(k) or []) for k, piece in enumerate(pieces)]


def _wearing(copy: Mesh, first: Mesh, piece: _Piece) -> Mesh:
    """A mesh with its slots as one, in the one material, on the new UVs; its points may be placed and turned
    over otherwise than those of the ``first``, which was drawn.
    """
    slots = filled(copy)
    flat = all(p.normals is None for p in slots)
    if piece.charts:
        trios = zip(slots, filled(first), piece.charts, piece.slots, strict=True)
        slots = [_cut(p, other, c, drawn) for p, other, c, drawn in trios]
    else:
        slots = [replace(p, uvs=p.uvs[:1], colors=None, tangents=None) for p in slots]
    (whole,) = joined_slots([replace(p, material=None, variants={}) for p in slots], "one a part")
    if flat:  # they were only there to tell relief along
        whole = replace(whole, normals=None)
    return replace(copy, primitives=(replace(whole, material=piece.unit.material),))


def _cut(p: Primitive, first: Primitive, chart: Charted, drawn: Primitive) -> Primitive:
    """A slot cut at the borders of charts that were made for the ``first`` copy of it, which was ``drawn``; a
    mirrored copy has the first and third corner of its faces changed."""
    mirrored = not np.array_equal(p.indices, first.indices)
    if p.normals is None and drawn.normals is not None:
        p = faceted(replace(p, indices=first.indices))
        p = replace(p, normals=-p.normals) if mirrored and p.normals is not None else p
    made = taken(p, chart.origin, chart.indices[:, ::-1] if mirrored else chart.indices)
    return replace(made, uvs=(chart.uv,), colors=None, tangents=None)


def with_measures(plan: Plan, inner: Plan) -> Iterator[Crossing]:
    """The plan's crossings, with what was measured on the way there."""
    assert plan.between is not None
    meant = {crossing.id: crossing for crossing in plan.between.crossings}
    before = {crossing.id: crossing for crossing in inner.crossings}
    for crossing in plan.crossings:
        one, same = before[crossing.id], crossing == meant[crossing.id]
        yield one if same else replace(crossing, rms=one.rms)


def _measured(crossing: Crossing, gaps: list[Floats] | None) -> Crossing:
    if not gaps:
        return crossing
    apart = float(np.sqrt(np.mean(np.concatenate([gap.reshape(-1) for gap in gaps]) ** 2)))
    return replace(crossing, rms=float(np.hypot(apart, crossing.rms or 0.0)), error=None)
