"""PLY to the neutral scene: polygons or strips, vertex and face colours, normals and UVs.

The format declares neither unit nor axis.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle
from trasloco.formats.ply_elements import UNREADABLE, Element, parse_ply
from trasloco.formats.polygons import Attribute, triangulated
from trasloco.formats.reading import CLOUDS_TRAVEL, Notes, Read
from trasloco.scene.extent import within_reach
from trasloco.scene.model import BYTE_COLORS, Cloud, Declared, Input, Material, Mesh, Node, Scene

_COLOR_NAMES = (
    ("red", "green", "blue", "alpha"),
    ("diffuse_red", "diffuse_green", "diffuse_blue", "diffuse_alpha"),
    ("r", "g", "b", "a"),
)
_UV_NAMES = (("u", "v"), ("s", "t"), ("texture_u", "texture_v"), ("texture_s", "texture_t"))
_KNOWN = {"x", "y", "z", "nx", "ny", "nz", *(n for names in (*_COLOR_NAMES, *_UV_NAMES) for n in names)}


def read_ply(path: str, bundle: Bundle) -> Read:
    """Read the PLY file at ``path``.

    Raises:
        Refused: damaged, cut short, or without points.
    """
    elements, comments = parse_ply(bundle.held(path), path)
    notes = Notes(path, bundle, used={path})
    vertex = elements.get("vertex")
    if vertex is None or not all(axis in vertex.columns for axis in "xyz"):
        raise Refused("The file has no points.", path, "Export it with its mesh.")
    points = np.stack([vertex.columns[axis] for axis in "xyz"], axis=1).astype(np.float64)
    if not _has_faces(elements):
        return _cloud(elements, points, notes)
    sizes, corners, holders = _polygons(elements, path)
    normals = (
        np.stack([vertex.columns[n] for n in ("nx", "ny", "nz")], axis=1).astype(np.float64)
        if all(n in vertex.columns for n in ("nx", "ny", "nz"))
        else None
    )
    uv = next(
        (
            np.stack([vertex.columns[u], vertex.columns[v]], axis=1)
            for u, v in _UV_NAMES
            if u in vertex.columns and v in vertex.columns
        ),
        None,
    )
    uvs = [Attribute(uv, corners)] if uv is not None else []
    face = elements.get("face")
    per_corner = face.lists.get("texcoord") if face is not None else None
    if per_corner is not None and len(per_corner[1]) == 2 * len(corners):
        uvs = [Attribute(per_corner[1].reshape(-1, 2), np.arange(len(corners), dtype=np.int64))]
    colors = _colors(vertex)
    tint = Attribute(colors, corners) if colors is not None else None
    face_colors = _colors(face) if face is not None else None
    if face_colors is not None and tint is None and len(holders):
        tint = Attribute(face_colors, np.repeat(holders, sizes))
    elif face_colors is not None and tint is not None:
        notes.note(
            "unread",
            "Face colours beside vertex colours",
            "faces",
            "The vertex colours are kept; the face colours stay behind.",
            weight=15,
        )
    material_id = notes.ids.make("material", notes.stem)
    cut = triangulated(
        sizes,
        Attribute(points, corners),
        Attribute(normals, corners) if normals is not None else None,
        uvs,
        tint,
        material_id,
    )
    if cut.dropped:
        notes.note(
            "index_out_of_range",
            "Faces name points that do not exist",
            f"{cut.dropped} of {len(sizes)} faces",
            "They cannot be drawn and are left out.",
            weight=60,
        )
    if not len(cut.primitive.indices):
        raise Refused("No face of the file can be drawn.", path, "Export it again.")
    _tell_unread(elements, comments, notes)
    images, texture = notes.images, None
    named = [
        comment.split(maxsplit=1)[1]
        for comment in comments
        if comment.lower().startswith(("texturefile ", "texture "))
    ]
    if named and uvs:
        from trasloco.scene.model import Texture

        texture = Texture(notes.image_of(named[0]), "rgb", "srgb")
    for more in named[1:]:
        notes.note(
            "unread",
            "More than one image is named",
            more,
            "PLY says nothing of which faces it belongs to; it stays behind.",
            weight=15,
        )
    material = Material(
        material_id,
        notes.stem,
        {
            "base_color": Input((1.0, 1.0, 1.0), texture, vertex_color=True),
            "roughness": Input((0.8,), origin="guess"),
            "metalness": Input((0.0,), origin="guess"),
        },
    )
    part, mesh = notes.ids.make("part", notes.stem), notes.ids.make("mesh", notes.stem)
    scene = Scene(
        notes.stem,
        {part: Node(part, notes.stem, None, np.eye(4), mesh=mesh)},
        {mesh: Mesh(mesh, notes.stem, (cut.primitive,))},
        {material_id: material},
        images,
        unit_m=Declared(1.0, "guess", "PLY files do not say"),
        up_axis=Declared("Y", "guess", "PLY files do not say"),
        declares=frozenset({BYTE_COLORS}),
    )
    return scene, notes.findings, notes.used


def _has_faces(elements: dict[str, Element]) -> bool:
    return any(name in elements and elements[name].size for name in ("face", "tristrips"))


def _cloud(elements: dict[str, Element], points: npt.NDArray[np.float64], notes: Notes) -> Read:
    """Points without faces as what they are, with the lines that an ``edge`` element draws between them."""
    good: npt.NDArray[np.bool_] = within_reach(points)
    edge = elements.get("edge")
    lines = np.zeros((0, 2), np.int64)
    if edge is not None and all(name in edge.columns for name in ("vertex1", "vertex2")):
        lines = np.stack([edge.columns["vertex1"], edge.columns["vertex2"]], axis=1).astype(np.int64)
        lines = lines[((lines >= 0) & (lines < len(points))).all(axis=1)]
    colors = _colors(elements["vertex"])
    if colors is not None and colors.shape[1] == 3:
        colors = np.concatenate([colors, np.ones((len(colors), 1), np.float32)], axis=1)
    if not len(points):
        raise Refused(
            "There is nothing to show in the file.", notes.where, "Export it with its points or its mesh."
        )
    made = Cloud(
        notes.ids.make("cloud", notes.stem),
        notes.stem,
        np.where(good[:, None], points, 0).astype(np.float32),
        lines.astype(np.uint32),
        colors,
    )
    notes.note("clouds", "Points or lines without faces", f"{len(points)} points", CLOUDS_TRAVEL, weight=14)
    part = notes.ids.make("part", notes.stem)
    scene = Scene(
        notes.stem,
        {part: Node(part, notes.stem, None, np.eye(4), cloud=made.id)},
        clouds={made.id: made},
        unit_m=Declared(1.0, "guess", "PLY files do not say"),
        up_axis=Declared("Y", "guess", "PLY files do not say"),
        declares=frozenset({BYTE_COLORS}),
    )
    return scene, notes.findings, notes.used


def _polygons(
    elements: dict[str, Element], path: str
) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """Sizes, corners, and for each polygon the face element it came from (empty for strips)."""
    face, strips = elements.get("face"), elements.get("tristrips")
    lists = (
        next((face.lists[name] for name in ("vertex_indices", "vertex_index") if name in face.lists), None)
        if face is not None
        else None
    )
    if lists is not None:
        return lists[0], lists[1].astype(np.int64), np.arange(len(lists[0]), dtype=np.int64)
    runs = (
        next(
            (strips.lists[name] for name in ("vertex_indices", "vertex_index") if name in strips.lists), None
        )
        if strips is not None
        else None
    )
    if runs is None:
        raise Refused("The faces of the file name no points.", path, "Export it again.")
    triangles: list[Any] = []
    for run in np.split(runs[1].astype(np.int64), np.cumsum(runs[0])[:-1]):
        for strip in np.split(run, np.flatnonzero(run < 0)):
            strip = strip[strip >= 0]
            if len(strip) >= 3:
                rows = np.arange(len(strip) - 2)
                flip = rows % 2
                triangles.append(
                    np.stack([strip[rows], strip[rows + 1 + flip], strip[rows + 2 - flip]], axis=1)
                )
    table = np.concatenate(triangles) if triangles else np.zeros((0, 3), np.int64)
    table = table[(table[:, 0] != table[:, 1]) & (table[:, 1] != table[:, 2]) & (table[:, 0] != table[:, 2])]
    return np.full(len(table), 3, np.int64), table.reshape(-1), np.zeros(0, np.int64)


def _colors(element: Element) -> npt.NDArray[np.float32] | None:
    """(n, 3 or 4) colours in [0, 1]; integer types span their range."""
    for names in _COLOR_NAMES:
        if all(name in element.columns for name in names[:3]):
            kept = [name for name in names if name in element.columns]
            types = {p.name: np.dtype(p.type) for p in element.properties}
            tops = [float(np.iinfo(types[name]).max) if types[name].kind in "iu" else 1.0 for name in kept]
            return np.stack(
                [
                    element.columns[name].astype(np.float64) / top
                    for name, top in zip(kept, tops, strict=True)
                ],
                axis=1,
            ).astype(np.float32)
    return None


def _tell_unread(elements: dict[str, Element], comments: list[str], notes: Notes) -> None:
    for comment in comments:
        if comment.startswith(UNREADABLE):
            notes.note(
                "unread",
                "A kind of element that cannot be read",
                comment.removeprefix(UNREADABLE).strip(),
                "It comes after the mesh, is cut short or damaged, and stays behind with all that follows it.",
                weight=12,
            )
    strange = [p.name for p in elements["vertex"].properties if p.name not in _KNOWN]
    if strange:
        notes.note(
            "unread",
            "Point values that are not understood",
            ", ".join(strange[:6]),
            "They stay behind.",
            weight=8,
        )
    for name, element in elements.items():
        if name not in ("vertex", "face", "tristrips", "edge") and element.size:
            notes.note(
                "unread",
                "A kind of element that is not read",
                f"{name} · {element.size}",
                "It stays behind.",
                weight=8,
            )
