"""Faces, slots and what lies on points, corner by corner, on both sides."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.accounts.model import Fact
from trasloco.accounts.one_piece import one_piece
from trasloco.accounts.pairing import Pairs
from trasloco.accounts.standing import expected_parts
from trasloco.accounts.tree import own_properties
from trasloco.accounts.variants import variant_facts
from trasloco.fit.geometry.deviation import deviation
from trasloco.fit.model import Passage, Plan
from trasloco.fit.one_set import kept_sets
from trasloco.fit.passages import dropped_colors
from trasloco.scene.geometry import joined_mesh
from trasloco.scene.joining import filled
from trasloco.scene.model import Mesh, Primitive, Scene
from trasloco.scene.tangent_frames import tangents
from trasloco.sheets.model import Sheet

_SINGLE = 2e-6
"""Of the size of what is compared: some rounding steps of single precision."""
_DIRECTION = 2e-3
_TANGENT = 2e-2


def mesh_facts(
    reference: Scene,
    arrival: Scene,
    plan: Plan,
    destination: Sheet,
    pairs: Pairs,
    promises: dict[Any, Passage],
) -> Iterator[Fact]:
    """Facts of every mesh, by the first part that wears it, or by all of them where each gets points of its
    own.
    """
    kept_uvs = kept_sets(plan.crossings) if destination.structure.uv_sets == "one" else None
    if plan.between is not None:
        kept_uvs = dict.fromkeys((*reference.materials, ""))
    look = _Look(reference, arrival, plan, destination, pairs, promises, kept_uvs)
    found: dict[tuple[str, str, str], list[Fact]] = defaultdict(list)
    piece = one_piece(reference, arrival, destination)
    for node, meant in expected_parts(reference, destination):
        other = arrival.nodes.get(pairs.nodes.get(node.id, ""))
        arrived = arrival.meshes.get(other.mesh or "") if other is not None else None
        if piece is not None:
            arrived = piece.of(node.id, sum(len(p.indices) for p in meant.primitives))
            meant = piece.as_joined(meant)
        for fact in look.at(reference.meshes[node.mesh or ""], meant, arrived):
            found[fact.kind, fact.item, fact.aspect].append(fact)
    for facts in found.values():
        yield _as_one(facts)


def _as_one(facts: list[Fact]) -> Fact:
    """Facts of one mesh at several parts: told by the first that is not the same."""
    odd = next((fact for fact in facts if not fact.same and not fact.kept), facts[0])
    return replace(
        odd,
        same=all(fact.same for fact in facts),
        gone=all(fact.gone for fact in facts),
        kept=all(fact.same or fact.kept for fact in facts),
    )


@dataclass(frozen=True)
class _Look:
    """Meshes looked at from their two ends. ``kept_uvs`` is which UV set of each material travels, where only
    one does.
    """

    reference: Scene
    arrival: Scene
    plan: Plan
    destination: Sheet
    pairs: Pairs
    promises: dict[Any, Passage]
    kept_uvs: dict[str, int | None] | None

    def at(self, mesh: Mesh, expected: Mesh, arrived: Mesh | None) -> Iterator[Fact]:
        """Facts of a mesh of the reference at one part, where it is ``expected`` in these points."""
        if not any(len(p.indices) for p in mesh.primitives):
            return
        if arrived is None:
            yield Fact("mesh", mesh.id, "faces", mesh.name, _counted(mesh), "not there", False, gone=True)
            return
        wished = {crossing.mesh: crossing for crossing in self.plan.meshes}
        if mesh.id in wished:
            shaped = replace(mesh, primitives=expected.primitives)
            yield _shaped(shaped, arrived, wished[mesh.id].after, wished[mesh.id].largest_m)
            return
        meant, got = filled(expected), filled(arrived)
        slots = self.destination.structure.slots not in ("none", "one a part")
        same = _same_faces(meant, got, self.reference, self.arrival, self.pairs if slots else None)
        backs = len(meant) != len(filled(mesh))
        told, came = _counted(mesh), _counted(arrived)
        yield Fact("mesh", mesh.id, "faces", mesh.name, told, came, same and not backs, kept=same)
        if len(meant) == len(got) and all(len(a.indices) == len(b.indices) for a, b in zip(meant, got)):
            yield from self._on_points(mesh, meant, got)
        yield from _words(mesh, arrived)
        yield from variant_facts(mesh, filled(mesh), got, self.pairs)

    def _on_points(self, mesh: Mesh, meant: list[Primitive], got: list[Primitive]) -> Iterator[Fact]:
        """Normals, UVs, tangents, colours, shapes and weights, at every corner."""
        yield from _one(mesh, "mesh", "normals", meant, got, lambda p: p.normals, _directions)
        yield from self._uvs(mesh, meant, got)
        if any(p.tangents is not None for p in meant):
            made = not self.destination.structure.tangents or self.plan.between is not None
            anew = made and all(_as_by_uvs(p) for p in got)
            for fact in _one(mesh, "mesh", "tangents", meant, got, lambda p: p.tangents, _tangents):
                yield replace(fact, kept=anew)
        elif any(p.tangents is not None for p in got) and not all(_as_by_uvs(p) for p in got):
            yield Fact("mesh", mesh.id, "tangents", mesh.name, "by the UVs", "others", False)
        promise = self.promises.get(("color", mesh.id, "vertex colours"))
        yield from _color_fact(mesh, meant, got, self.reference, self.destination, promise)
        yield from _moving(mesh, self.reference.meshes[mesh.id].primitives, meant, got)

    def _uvs(self, mesh: Mesh, meant: list[Primitive], got: list[Primitive]) -> Iterator[Fact]:
        count = max((len(p.uvs) for p in meant), default=0)
        if not count:
            return
        same = all(_same_uvs(a, b) for a, b in zip(meant, got))
        arrived = min((len(b.uvs) for a, b in zip(meant, got) if a.uvs), default=0)
        kept = self.kept_uvs is not None and all(self._laid(a, b) for a, b in zip(meant, got))
        more = "" if same or kept else ", lying elsewhere"
        yield Fact(
            "mesh",
            mesh.id,
            "UVs",
            mesh.name,
            f"{count} UV sets",
            f"{arrived} UV sets{more}",
            same,
            gone=not arrived,
            kept=kept,
        )

    def _laid(self, meant: Primitive, got: Primitive) -> bool:
        """Whether the one set that arrived is the one of its material; what lies on a new one is looked at
        with its images.
        """
        number = (self.kept_uvs or {}).get(meant.material or "", 0)
        if number is None or not meant.uvs:
            return bool(got.uvs) or not meant.uvs
        one = replace(meant, uvs=meant.uvs[number : number + 1] or meant.uvs[:1])
        return _same_uvs(one, got)


def _words(mesh: Mesh, arrived: Mesh) -> Iterator[Fact]:
    """Custom properties."""
    sent, here = own_properties(mesh.payload.get("extras")), own_properties(arrived.payload.get("extras"))
    sent, here = _without_names(sent), _without_names(here)
    if sent or here:
        told = "custom properties"
        yield Fact(
            "mesh", mesh.id, "properties", mesh.name, told, str(here)[:40], sent == here, gone=not here
        )


def _moving(
    mesh: Mesh, whole: tuple[Primitive, ...], meant: list[Primitive], got: list[Primitive]
) -> Iterator[Fact]:
    """Shapes and weights; what stands in the world at rest has neither any more, and the ``whole`` had."""
    told = next((len(p.morphs) for p in whole if p.morphs), 0)
    if told or any(p.morphs for p in got):
        same = all(_same_shapes(a, b) for a, b in zip(meant, got)) and bool(told) == any(
            p.morphs for p in meant
        )
        gone = not any(p.morphs for p in got)
        came = f"{len(got[0].morphs)} shapes"
        yield Fact("motion", mesh.id, "shapes", mesh.name, f"{told} shapes", came, same, gone=gone)
    if any(p.weights is not None for p in whole):
        same = all(_same_weights(a, b) for a, b in zip(meant, got)) and any(
            p.weights is not None for p in meant
        )
        gone = all(p.weights is None for p in got)
        yield Fact(
            "motion",
            mesh.id,
            "weights",
            mesh.name,
            "weights of joints",
            "weights" if same else "other weights",
            same,
            gone=gone,
        )


def _without_names(extras: Any) -> Any:
    """Extras without the names of shapes, which have a place of their own."""
    return {k: v for k, v in extras.items() if k != "targetNames"} if isinstance(extras, dict) else extras


def _counted(mesh: Mesh) -> str:
    held = filled(mesh)
    return f"{sum(len(p.indices) for p in held)} faces in {len(held)} slot{'s' if len(held) != 1 else ''}"


def _shaped(mesh: Mesh, arrived: Mesh, after: int, largest_m: float | None) -> Fact:
    """A mesh reduced or subdivided: as many faces as were told, and no farther off."""
    count = sum(len(p.indices) for p in arrived.primitives)
    far = deviation(joined_mesh(mesh.primitives), joined_mesh(arrived.primitives)).largest
    size = _size(joined_mesh(mesh.primitives)[0])
    near = largest_m is None or far <= largest_m * 1.02 + size * 1e-3
    return Fact(
        "mesh",
        mesh.id,
        "faces",
        mesh.name,
        _counted(mesh),
        _counted(arrived),
        count == after and far == 0,
        kept=count == after and near,
    )


def _size(points: npt.NDArray[Any]) -> float:
    return float(np.abs(points).max(initial=0.0)) or 1.0


def corners(values: npt.NDArray[Any], primitive: Primitive) -> npt.NDArray[Any]:
    """Values (N, C) at each face's corners, (M, 3, C)."""
    return values[primitive.indices]


def _same_faces(
    meant: list[Primitive], got: list[Primitive], reference: Scene, arrival: Scene, pairs: Pairs | None
) -> bool:
    if len(meant) != len(got):
        return False
    for a, b in zip(meant, got):
        if len(a.indices) != len(b.indices):
            return False
        if pairs is not None and not _same_slot(a, b, reference, arrival, pairs):
            return False
        if float(np.abs(corners(a.positions, a) - corners(b.positions, b)).max(initial=0)) > _SINGLE * _size(
            a.positions
        ):
            return False
    return True


def _same_slot(a: Primitive, b: Primitive, reference: Scene, arrival: Scene, pairs: Pairs) -> bool:
    if a.material not in reference.materials:
        return b.material not in arrival.materials
    return pairs.materials.get(a.material or "") == b.material


def _one(
    mesh: Mesh, kind: str, aspect: str, meant: list[Primitive], got: list[Primitive], pick: Any, same: Any
) -> Iterator[Fact]:
    if not any(pick(p) is not None for p in (*meant, *got)):
        return
    equal = all(same(a, b, pick(a), pick(b)) for a, b in zip(meant, got))
    gone = all(pick(p) is None for p in got)
    yield Fact(
        kind,
        mesh.id,
        aspect,
        mesh.name,
        aspect if any(pick(p) is not None for p in meant) else "none",
        "none" if gone else aspect,
        equal,
        gone,
    )


def _directions(a: Primitive, b: Primitive, meant: Any, got: Any) -> bool:
    if meant is None or got is None:
        return meant is None and got is None
    first, second = corners(meant, a).astype(np.float64), corners(got, b).astype(np.float64)
    length = np.linalg.norm(first, axis=-1, keepdims=True)
    told = length[..., 0] > 1e-6
    gap = np.abs(
        first / np.maximum(length, 1e-12)
        - second / np.maximum(np.linalg.norm(second, axis=-1, keepdims=True), 1e-12)
    )
    return bool(gap[told].max(initial=0) <= _DIRECTION)


def _tangents(a: Primitive, b: Primitive, meant: Any, got: Any) -> bool:
    if meant is None or got is None:
        return meant is None
    first, second = corners(meant, a), corners(got, b)
    sound = np.isfinite(first).all(axis=-1) & (np.linalg.norm(first[..., :3], axis=-1) > 1e-3)
    unit = first[..., :3] / np.maximum(np.linalg.norm(first[..., :3], axis=-1, keepdims=True), 1e-12)
    gap = np.abs(unit - second[..., :3]).max(axis=-1)
    return bool(
        gap[sound].max(initial=0) <= _TANGENT
        and (np.sign(first[..., 3]) == np.sign(second[..., 3]))[sound].all()
    )


def _as_by_uvs(p: Primitive) -> bool:
    """Whether tangents say no more than the UVs do."""
    if p.tangents is None or p.normals is None or not p.uvs:
        return p.tangents is None
    made = tangents(p.positions, p.normals, p.uvs[0], p.indices)
    return bool((np.abs(made[:, :3] - p.tangents[:, :3]).max(axis=1) <= _TANGENT).mean() > 0.999)


def _same_uvs(a: Primitive, b: Primitive) -> bool:
    gaps = (
        (float(np.abs(corners(u, a) - corners(v, b)).max(initial=0)), max(_size(u), 1.0))
        for u, v in zip(a.uvs, b.uvs)
    )
    return len(b.uvs) >= len(a.uvs) and all(gap <= _SINGLE * size for gap, size in gaps)


def _same_shapes(a: Primitive, b: Primitive) -> bool:
    if len(a.morphs) != len(b.morphs):
        return False
    for first, second in zip(a.morphs, b.morphs):
        for one, other in ((first.positions, second.positions), (first.normals, second.normals)):
            meant = corners(one, a) if one is not None else np.zeros((len(a.indices), 3, 3), np.float32)
            got = corners(other, b) if other is not None else np.zeros((len(a.indices), 3, 3), np.float32)
            if float(np.abs(meant - got).max(initial=0)) > _SINGLE * _size(a.positions):
                return False
    return True


def _same_weights(a: Primitive, b: Primitive) -> bool:
    """Joints in another order that pull alike are the same."""
    if a.joints is None or a.weights is None or b.joints is None or b.weights is None:
        return a.weights is None and b.weights is None
    first, second = _pulls(a.joints, a.weights), _pulls(b.joints, b.weights)
    width = max(first.shape[1], second.shape[1])
    first, second = (np.pad(t, ((0, 0), (0, width - t.shape[1]))) for t in (first, second))
    return bool(np.abs(corners(first, a) - corners(second, b)).max(initial=0) <= 1e-4)


def _pulls(joints: npt.NDArray[Any], weights: npt.NDArray[Any]) -> npt.NDArray[np.float64]:
    """Share of each joint at each point, (N, joints)."""
    table = np.zeros((len(joints), int(joints.max(initial=0)) + 1))
    for k in range(joints.shape[1]):
        np.add.at(table, (np.arange(len(joints)), joints[:, k].astype(np.int64)), weights[:, k])
    return np.asarray(table / np.maximum(table.sum(axis=1, keepdims=True), 1e-12))


def _color_fact(
    mesh: Mesh,
    meant: list[Primitive],
    got: list[Primitive],
    reference: Scene,
    destination: Sheet,
    promise: Passage | None,
) -> Iterator[Fact]:
    if not any(p.colors is not None for p in (*meant, *got)):
        return
    same = all(_same_colors(a.colors, b.colors, a, b) for a, b in zip(meant, got))
    kept = False
    if (
        promise is not None and promise.stand_in == "written"
    ):  # what they say is looked at with the base colour
        kept = all(p.colors is not None for p in got)
    elif (promise is not None and promise.stand_in == "dropped") or (
        promise is not None and promise.stand_in == "drawn"
    ):
        kept = all(p.colors is None for p in got)
    elif promise is not None and promise.stand_in == "some drawn":
        kept = all(b.colors is None or _same_colors(a.colors, b.colors, a, b) for a, b in zip(meant, got))
    elif promise is not None and promise.stand_in == "some dropped":
        kept = all(
            b.colors is None
            if dropped_colors(reference, destination, a.material)
            else _same_colors(a.colors, b.colors, a, b)
            for a, b in zip(meant, got)
        )
    told = "colours on points" if any(p.colors is not None for p in meant) else "none"
    gone = all(p.colors is None for p in got)
    yield Fact(
        "color",
        mesh.id,
        "vertex colours",
        mesh.name,
        told,
        "none" if gone else "colours on points" if same else "other colours",
        same,
        gone,
        kept,
    )


def _same_colors(meant: Any, got: Any, a: Primitive, b: Primitive) -> bool:
    if meant is None or got is None:
        one = meant if meant is not None else got
        return one is None or bool(np.abs(one - 1).max(initial=0) <= 1e-6)
    return bool(np.abs(corners(meant, a) - corners(got, b)).max(initial=0) <= 2e-3 / 255)
