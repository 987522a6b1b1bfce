"""UV sets: missing where an image needs one, folded onto themselves, out of range, squashed."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.inventory.context import Context
from trasloco.inventory.marking import face_offsets, faces_finding, names_of
from trasloco.inventory.texels import overlapping_triangles
from trasloco.meshes.topology import Edges
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision, Primitive

_FAR, _SQUASHED = 64.0, 0.02


def _needed(context: Context, primitive: Primitive) -> dict[int, str]:
    """UV set numbers the material's images read, with how they repeat."""
    material = context.scene.materials.get(primitive.material or "")
    found: dict[int, str] = {}
    for given in material.inputs.values() if material else ():
        for texture in given.textures:
            found[texture.uv_set] = (
                "clamp" if "clamp" in texture.wrap else found.get(texture.uv_set, "repeat")
            )
    return found


def missing_uvs(context: Context) -> Iterator[Finding]:
    scene = context.scene
    lacking: dict[str, list[str]] = {}
    for mesh, parts in context.users.items():
        for primitive in scene.meshes[mesh].primitives:
            if len(primitive.indices) and any(k >= len(primitive.uvs) for k in _needed(context, primitive)):
                held = lacking.setdefault(primitive.material or "", [])
                held += [part for part in parts if part not in held]
    for material, ids in lacking.items():
        mends = (Mend("Make UVs", tuple(Decision(part, "make_uvs", True) for part in ids)),)
        yield Finding(
            f"missing_uvs:{material}",
            "missing_uvs",
            "No UVs for its images",
            f"{names_of(scene, ids)} · {scene.materials[material].name}",
            "Its images have no place on the surface: each face takes a single texel, one flat colour.",
            (*ids, material),
            62,
            {"parts": len(ids)},
            mends,
        )


def uv_range(context: Context) -> Iterator[Finding]:
    """UVs outside the image where it does not repeat, not finite, or so far out that their precision is gone."""
    scene = context.scene
    for mesh, parts in context.users.items():
        starts = face_offsets(scene, mesh)
        clamped: list[npt.NDArray[Any]] = []
        distant: list[npt.NDArray[Any]] = []
        for k, primitive in enumerate(scene.meshes[mesh].primitives):
            needed = _needed(context, primitive)
            for number, uv in enumerate(primitive.uvs):
                outside = np.asarray((np.abs(uv - 0.5) > 0.5 + 1e-3).any(axis=1))
                if (number >= 1 or needed.get(number) == "clamp") and outside.any():
                    clamped.append(np.flatnonzero(outside[primitive.indices].any(axis=1)) + starts[k])
                lost = np.asarray((np.abs(uv) > _FAR).any(axis=1))
                if lost.any():
                    distant.append(np.flatnonzero(lost[primitive.indices].any(axis=1)) + starts[k])
        for kind, title, found, consequence, weight in (
            (
                "uv_outside",
                "UVs outside their image",
                clamped,
                "The image does not repeat there: its border is smeared, or a lightmap is read from another part's place.",
                42,
            ),
            (
                "uv_distant",
                "UVs very far out",
                distant,
                "Destinations with half precision there show swimming, blocky images.",
                30,
            ),
        ):
            numbers = np.unique(np.concatenate(found)) if found else np.zeros(0, np.int64)
            if len(numbers):
                yield faces_finding(
                    scene,
                    mesh,
                    parts,
                    numbers,
                    kind,
                    title,
                    consequence,
                    weight,
                    ("Bring them near", "near_uvs", True) if kind == "uv_distant" else None,
                )


def squashed_uvs(context: Context, mesh: str, edges: Sequence[Edges]) -> Iterator[Finding]:
    """Faces with area on the model and none, or next to none, in the image."""
    scene = context.scene
    starts = face_offsets(scene, mesh)
    bad: list[npt.NDArray[Any]] = []
    share = 0.0
    for k, primitive in enumerate(scene.meshes[mesh].primitives):
        if not primitive.uvs or not _needed(context, primitive) or not len(primitive.indices):
            continue
        area = edges[k].area_m2
        uv = primitive.uvs[0][primitive.indices].astype(np.float64)
        d1, d2 = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
        covered = np.abs(d1[:, 0] * d2[:, 1] - d2[:, 0] * d1[:, 1]) / 2
        density = covered.sum() / max(area.sum(), 1e-30)
        squashed = (area > 0) & (covered < area * density * 1e-3)
        if area[squashed].sum() > _SQUASHED * area.sum() and density > 0:
            bad.append(np.flatnonzero(squashed) + starts[k])
            share = max(share, float(area[squashed].sum() / area.sum()))
        elif density == 0 and area.sum() > 0:
            bad.append(np.arange(len(area)) + starts[k])
            share = 1.0
    numbers = np.concatenate(bad) if bad else np.zeros(0, np.int64)
    if len(numbers):
        yield faces_finding(
            scene,
            mesh,
            context.users[mesh],
            numbers,
            "uv_squashed",
            "UVs squashed to a line",
            "The image is drawn out into streaks there.",
            45,
            ("Make UVs", "make_uvs", True),
            f", {share:.0%} of the surface",
        )


def overlapping_uvs(context: Context) -> Iterator[Finding]:
    """Faces that share texels of a second UV set: two places of the surface would receive the same light."""
    scene = context.scene
    for mesh, parts in context.users.items():
        starts = face_offsets(scene, mesh)
        triangles: list[npt.NDArray[Any]] = []
        numbers: list[npt.NDArray[Any]] = []
        for k, primitive in enumerate(scene.meshes[mesh].primitives):
            if len(primitive.uvs) > 1 and len(primitive.indices):
                triangles.append(primitive.uvs[1][primitive.indices])
                numbers.append(np.arange(len(primitive.indices)) + starts[k])
        if not triangles:
            continue
        over = np.concatenate(numbers)[overlapping_triangles(np.concatenate(triangles).astype(np.float64))]
        if len(over):
            yield faces_finding(
                scene,
                mesh,
                parts,
                over,
                "uv_overlap",
                "UVs of the second set overlap",
                "A lightmap on them would put the light of one place on another.",
                38,
                ("Make a new second set", "make_uvs", 1),
            )
