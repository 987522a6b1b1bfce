"""Normals and tangents: missing, not of unit length, looking away from their faces."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.inventory.context import Context
from trasloco.inventory.marking import face_offsets, faces_finding, names_of
from trasloco.meshes.topology import Edges
from trasloco.scene.findings import Finding, Mend
from trasloco.scene.model import Decision
from trasloco.scene.welding import normals_against


def missing_normals(context: Context) -> Iterator[Finding]:
    """Meshes without normals beside meshes that have them, or a whole scene without any."""
    scene = context.scene
    without = [
        part.id
        for part in scene.parts()
        if any(p.normals is None and len(p.indices) for p in scene.meshes[part.mesh or ""].primitives)
    ]
    if not without:
        return
    mends = (
        Mend("Make normals, hard above 30°", tuple(Decision(part, "normals_angle", 30) for part in without)),
    )
    yield Finding(
        "missing_normals:scene",
        "missing_normals",
        "No normals",
        f"{names_of(scene, without)} · {len(without)} of {len(scene.parts())} parts",
        "Each destination makes its own: some round everything, some show every facet.",
        tuple(without),
        28,
        {"parts": len(without)},
        mends,
    )


def odd_normals(context: Context, mesh: str, edges: Sequence[Edges]) -> Iterator[Finding]:
    """Normals without length, or that look to the other side of their faces."""
    scene = context.scene
    starts = face_offsets(scene, mesh)
    short: list[npt.NDArray[Any]] = []
    away: list[npt.NDArray[Any]] = []
    for k, p in enumerate(scene.meshes[mesh].primitives):
        if p.normals is None or not len(p.indices):
            continue
        length = np.linalg.norm(p.normals, axis=1)
        bad = (length < 0.5) | (length > 2)
        if bad.any():
            short.append(np.flatnonzero(bad[p.indices].any(axis=1)) + starts[k])
        against = normals_against(p.positions, p.indices, p.normals) & (edges[k].area_m2 > 0)
        if against.any():
            away.append(np.flatnonzero(against) + starts[k])
    for kind, title, found, consequence, weight in (
        (
            "short_normals",
            "Normals that are no directions",
            short,
            "Light there is undefined: black or glaring spots.",
            44,
        ),
        (
            "normals_away",
            "Normals look the other way",
            away,
            "Lit from behind: dark where it should be light, although the faces look out.",
            64,
        ),
    ):
        numbers = np.unique(np.concatenate(found)) if found else np.zeros(0, np.int64)
        if len(numbers):
            yield faces_finding(
                scene,
                mesh,
                context.users[mesh],
                numbers,
                kind,
                title,
                consequence,
                weight,
                ("Make normals, hard above 30°", "normals_angle", 30),
            )


def mixed_tangents(context: Context) -> Iterator[Finding]:
    """A material with a normal map on meshes of which some bring tangents and some do not."""
    scene = context.scene
    having: dict[str, tuple[list[str], list[str]]] = {}
    for mesh, parts in context.users.items():
        for p in scene.meshes[mesh].primitives:
            material = scene.materials.get(p.material or "")
            if (
                material is not None
                and "normal" in material.inputs
                and material.inputs["normal"].texture is not None
                and p.uvs
                and len(p.indices)
            ):
                having.setdefault(material.id, ([], []))[0 if p.tangents is not None else 1].extend(parts)
    for material_id, (some, others) in having.items():
        if some and others:
            yield Finding(
                f"mixed_tangents:{material_id}",
                "mixed_tangents",
                "Tangents on some parts only",
                f"{names_of(scene, others)} · {scene.materials[material_id].name}",
                "The same normal map is read in two ways; seams show between the parts. All are made anew.",
                (material_id, *others),
                16,
                {"parts": len(others)},
                (Mend("Make them alike", tuple(Decision(part, "drop_tangents", True) for part in some)),),
            )
