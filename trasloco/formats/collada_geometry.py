"""COLLADA meshes: triangles, polylists, polygons with holes, strips and fans, each part by its material
symbol.
"""

from __future__ import annotations

from dataclasses import dataclass
from xml.etree.ElementTree import Element

import numpy as np
import numpy.typing as npt

from trasloco.formats.collada_document import Document, integers, shared_inputs
from trasloco.formats.polygons import Attribute, Triangulated, triangulated

Integers = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Piece:
    """Faces of one material symbol; ``uv_numbers`` are the set numbers of its UV sets in order."""

    symbol: str
    made: Triangulated
    uv_numbers: tuple[int, ...]


def read_geometry(document: Document, geometry: Element) -> list[Piece]:
    """The pieces of a geometry, in document order."""
    mesh = geometry.find("mesh")
    label = geometry.get("name") or geometry.get("id") or "mesh"
    if mesh is None:
        document.notes.note(
            "unread",
            "A shape that is not a mesh",
            label,
            "Curved surfaces are not read; this stays behind.",
            weight=50,
        )
        return []
    shared = {v.get("id", ""): v for v in mesh.findall("vertices")}
    pieces: list[Piece] = []
    for element in mesh:
        if element.tag in ("lines", "linestrips"):
            document.notes.note(
                "not_triangles",
                "Points or lines",
                label,
                "In COLLADA they are not read yet, and stay behind.",
            )
        if element.tag in ("triangles", "polylist", "polygons", "tristrips", "trifans"):
            piece = _piece(document, element, shared, label)
            if piece is not None:
                pieces.append(piece)
    return pieces


def _piece(document: Document, element: Element, shared: dict[str, Element], label: str) -> Piece | None:
    inputs = shared_inputs(element)
    if not inputs:
        return None
    width = max(i.offset for i in inputs) + 1
    sizes, flat = _polygons(document, element, width, label)
    corners = flat[: len(flat) // width * width].reshape(-1, width)
    if sizes.sum() > len(corners):
        document.notes.note(
            "index_out_of_range", "A mesh is cut short", label, "Faces are missing at its end.", weight=60
        )
        keep = np.cumsum(sizes) <= len(corners)
        sizes = sizes[keep]
    corners = corners[: int(sizes.sum())]
    points: Attribute | None = None
    normals: Attribute | None = None
    colors: Attribute | None = None
    uvs: list[tuple[int, Attribute]] = []
    for given in inputs:
        at = corners[:, given.offset]
        if given.semantic == "VERTEX":
            holder = shared.get(given.source.lstrip("#"))
            for inner in shared_inputs(holder) if holder is not None else []:
                values = Attribute(document.source(inner.source), at)
                points = values if inner.semantic == "POSITION" else points
                normals = values if inner.semantic == "NORMAL" else normals
                colors = values if inner.semantic == "COLOR" else colors
                if inner.semantic == "TEXCOORD":
                    uvs.append((inner.set, values))
        elif given.semantic == "NORMAL":
            normals = Attribute(document.source(given.source), at)
        elif given.semantic == "COLOR" and colors is None:
            colors = Attribute(document.source(given.source), at)
        elif given.semantic in ("TEXCOORD", "UV"):
            uvs.append((given.set, Attribute(document.source(given.source), at)))
        elif given.semantic not in ("TANGENT", "BINORMAL", "TEXTANGENT", "TEXBINORMAL", "POSITION"):
            document.notes.note(
                "unread",
                "Point values that are not understood",
                f"{label} · {given.semantic}",
                "They stay behind.",
                weight=8,
            )
    if points is None or not len(points.values):
        document.notes.note(
            "no_positions",
            "A mesh without points",
            label,
            "It has nothing to show and is left out.",
            weight=40,
        )
        return None
    uvs.sort(key=lambda item: item[0])
    uvs = [(k, a) for k, a in uvs if a.values.ndim == 2 and a.values.shape[1] >= 2]
    if normals is not None and normals.values.shape[1:] != (3,):
        normals = None
    if colors is not None and colors.values.shape[1] < 3:
        colors = None
    made = triangulated(sizes, points, normals, [a for _, a in uvs], colors)
    if made.dropped:
        document.notes.note(
            "index_out_of_range",
            "Faces name points that do not exist",
            f"{label} · {made.dropped} of {len(sizes)} faces",
            "They cannot be drawn and are left out.",
            weight=60,
        )
    return (
        Piece(element.get("material", ""), made, tuple(k for k, _ in uvs))
        if len(made.primitive.indices)
        else None
    )


def _polygons(document: Document, element: Element, width: int, label: str) -> tuple[Integers, Integers]:
    """Face sizes and the flat index stream."""
    runs = [integers(p) for p in element.findall("p")]
    if element.tag == "triangles":
        flat = np.concatenate(runs) if runs else np.zeros(0, np.int64)
        return np.full(len(flat) // width // 3, 3, np.int64), flat
    if element.tag == "polylist":
        return integers(element.find("vcount")), np.concatenate(runs) if runs else np.zeros(0, np.int64)
    if element.tag == "polygons":
        holed = element.findall("ph")
        if holed:
            document.notes.note(
                "unread",
                "Holes in polygons are not read",
                f"{label} · {len(holed)} faces",
                "The faces arrive without their holes.",
                weight=35,
            )
        runs = [*runs, *(integers(h.find("p")) for h in holed)]
        return np.array([len(run) // width for run in runs], np.int64), np.concatenate(
            [run[: len(run) // width * width] for run in runs]
        ) if runs else np.zeros(0, np.int64)
    triangles: list[Integers] = []
    for run in runs:
        rows = run[: len(run) // width * width].reshape(-1, width)
        count = max(len(rows) - 2, 0)
        k = np.arange(count)
        if element.tag == "tristrips":
            order = np.stack([k, k + 1 + k % 2, k + 2 - k % 2], axis=1)
        else:
            order = np.stack([np.zeros(count, np.int64), k + 1, k + 2], axis=1)
        triangles.append(rows[order].reshape(-1))
    flat = np.concatenate(triangles) if triangles else np.zeros(0, np.int64)
    return np.full(len(flat) // width // 3, 3, np.int64), flat
