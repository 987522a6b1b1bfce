"""Wavefront OBJ with MTL to the neutral scene.

The format declares neither unit, axis nor what its images mean: the source sheet does.
"""

from __future__ import annotations

import codecs
import math
import posixpath
from dataclasses import replace
from itertools import pairwise
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle
from trasloco.formats.mtl import PHONG, read_mtl
from trasloco.formats.polygons import Attribute, triangulated
from trasloco.formats.reading import CLOUDS_TRAVEL
from trasloco.limits import LIMITS
from trasloco.scene.findings import Finding
from trasloco.scene.ids import IdMaker
from trasloco.scene.images import Image, identify, missing_image
from trasloco.scene.model import BYTE_COLORS, Cloud, Declared, Material, Mesh, Node, Primitive, Scene

_FOREIGN = {"vp", "curv", "curv2", "surf", "cstype", "deg", "parm", "trim", "bmat"}


class _Faces:
    """Corner triples of one (part, material): v, vt, vn, each -1 when absent, and the face sizes."""

    def __init__(self) -> None:
        self.corners: list[tuple[int, int, int]] = []
        self.sizes: list[int] = []


def read_obj(path: str, bundle: Bundle) -> tuple[Scene, list[Finding], set[str]]:
    """Read the OBJ file at ``path`` of the bundle.

    Returns:
        The scene in the file's own unit and axis, findings, and the bundle paths that were used.

    Raises:
        Refused: not text, too large, a line that cannot be read, no geometry at all.
    """
    data = bundle.files[path]
    if len(data) > LIMITS.text_bytes:
        raise Refused("The file is larger than the limit for text.", path, "Deliver it as glTF.")
    marked = data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE))
    if b"\0" in data[:4096] and not marked:
        raise Refused("The file is called .obj but its content is not text.", path, "Export it again.")
    text = data.decode("utf-16" if marked else "utf-8-sig", "replace").replace("\r", "").replace("\\\n", " ")
    findings: list[Finding] = []
    used = {path}
    points: list[list[float]] = []
    uvs: list[tuple[float, float]] = []
    normals: list[tuple[float, float, float]] = []
    groups: dict[tuple[str, str], _Faces] = {}
    libraries: list[str] = []
    part, material, named = "unnamed", "", False
    faces = groups.setdefault((part, material), _Faces())
    skipped: dict[str, int] = {}
    strokes: dict[tuple[str, str], list[list[int]]] = {}
    row = 0
    try:
        for row, line in enumerate(text.split("\n"), 1):  # noqa: B007  (read by the handler below)
            words = line.split()
            if not words:
                continue
            key = words[0]
            if key == "v":
                place = [float(w) for w in words[1:7]]
                points.append(place if len(place) >= 3 else [math.nan] * 3)  # faces that use it are left out
            elif key == "vt":
                uvs.append((float(words[1]), float(words[2]) if len(words) > 2 else 0.0))
            elif key == "vn":
                normals.append((float(words[1]), float(words[2]), float(words[3])))
            elif key == "f":
                counts = (len(points), len(uvs), len(normals))
                if len(words) < 4:
                    skipped["faces of fewer than three points"] = (
                        skipped.get("faces of fewer than three points", 0) + 1
                    )
                    continue
                if not faces.sizes:  # slots come in the order of their first faces
                    groups[part, material] = groups.pop((part, material))
                for word in words[1:]:
                    faces.corners.append(_corner(word, counts))
                faces.sizes.append(len(words) - 1)
            elif key in ("o", "g"):
                if key == "o" or not named:
                    part = " ".join(words[1:]) or "unnamed"
                    named = named or key == "o"
                    faces = groups.setdefault((part, material), _Faces())
            elif key == "usemtl":
                material = " ".join(words[1:])
                faces = groups.setdefault((part, material), _Faces())
            elif key == "mtllib":
                libraries.append(" ".join(words[1:]))
            elif key in ("l", "p"):
                named_points = [_corner(word, (len(points), len(uvs), len(normals)))[0] for word in words[1:]]
                strokes.setdefault((part, key), []).append(named_points)
            elif key in _FOREIGN:
                skipped["curved surfaces"] = skipped.get("curved surfaces", 0) + 1
    except (ValueError, IndexError) as error:
        raise Refused(f"Line {row} cannot be read ({error}).", path, "Export the file again.") from None
    if not any(f.sizes for f in groups.values()) and not strokes:
        raise Refused("There are no faces in the file.", path, "Check that the export includes meshes.")
    for what, count in skipped.items():
        findings.append(
            Finding(
                f"unread:{path}:{what}",
                "unread",
                f"{what.capitalize()} are not read",
                f"{path} · {count}",
                "Destinations here draw triangles only; these stay behind.",
                weight=10,
            )
        )
    ids = IdMaker()
    materials, images = _libraries(libraries, path, bundle, used, ids, findings)
    if strokes:
        findings.append(
            Finding(
                f"clouds:{path}",
                "clouds",
                "Points or lines without faces",
                f"{path} · {', '.join(dict.fromkeys(part for part, _ in strokes))}",
                CLOUDS_TRAVEL,
                weight=14,
            )
        )
    scene = _assemble(
        posixpath.splitext(posixpath.basename(path))[0],
        groups,
        points,
        uvs,
        normals,
        materials,
        images,
        ids,
        findings,
        path,
    )
    return _with_strokes(scene, strokes, points, ids), findings, used


def _with_strokes(
    scene: Scene, strokes: dict[tuple[str, str], list[list[int]]], points: list[list[float]], ids: IdMaker
) -> Scene:
    """The scene with its ``l`` and ``p`` statements as lines and points, each of the part it was written in."""
    nodes, clouds = dict(scene.nodes), {}
    for (part, key), runs in strokes.items():
        kept = [[at for at in run if 0 <= at < len(points)] for run in runs]
        pairs = [(a, b) for run in kept for a, b in pairwise(run)] if key == "l" else []
        used = (
            np.unique([at for run in kept for at in run]).astype(np.int64)
            if any(kept)
            else np.zeros(0, np.int64)
        )
        if not len(used):
            continue
        table = np.array([points[at][:3] for at in used], np.float32)
        tinted = all(len(points[at]) >= 6 for at in used)
        colors = np.array([[*points[at][3:6], 1.0] for at in used], np.float32) if tinted else None
        cloud = Cloud(
            ids.make("cloud", part),
            part,
            table,
            np.searchsorted(used, np.array(pairs, np.int64).reshape(-1, 2)).astype(np.uint32),
            colors,
        )
        clouds[cloud.id] = cloud
        id = ids.make("part", f"{part} {'lines' if key == 'l' else 'points'}")
        nodes[id] = Node(id, f"{part} {'lines' if key == 'l' else 'points'}", None, np.eye(4), cloud=cloud.id)
    return replace(scene, nodes=nodes, clouds=clouds)


_NOWHERE = 2**40
"""A point that a face names and that is not there."""


def _corner(word: str, counts: tuple[int, int, int]) -> tuple[int, int, int]:
    fields = word.split("/")
    found = [-1, -1, -1]
    for k, field in enumerate(fields[:3]):
        if field:
            value = int(field)
            place = value - 1 if value > 0 else counts[k] + value
            found[k] = place if 0 <= place < counts[k] else _NOWHERE
    return found[0], found[1], found[2]


def _libraries(
    names: list[str], path: str, bundle: Bundle, used: set[str], ids: IdMaker, findings: list[Finding]
) -> tuple[dict[str, Material], dict[str, Image]]:
    images: dict[str, Image] = {}
    by_path: dict[str, str] = {}
    materials: dict[str, Material] = {}

    def image_of(file: str, library: str) -> str:
        found = bundle.find(file, library)
        key = found or file
        if key not in by_path:
            id = ids.make("image", file.replace("\\", "/"))
            name = posixpath.basename(key.replace("\\", "/"))
            by_path[key] = id
            if found is None:
                images[id] = missing_image(id, name, file)
            else:
                used.add(found)
                images[id] = identify(id, name, found, bundle.files[found])
        return by_path[key]

    for name in names:
        found = bundle.find(name, path)
        if found is None:
            findings.append(
                Finding(
                    f"no_library:{name}",
                    "no_library",
                    "The material file is not in the delivery",
                    name,
                    "All its materials arrive grey.",
                    weight=90,
                )
            )
            continue
        used.add(found)

        def unread(statement: str, material: str, library: str = found) -> None:
            findings.append(
                Finding(
                    f"unread:{library}:{material}:{statement}",
                    "unread",
                    "A material statement is not understood",
                    f"{library} · {material} · {statement}",
                    "It is left out.",
                    weight=8,
                )
            )

        def phong(material: str, shine: tuple[float, ...], library: str = found) -> None:
            findings.append(
                Finding(
                    f"phong_shine:{library}:{material}",
                    "phong_shine",
                    "How strongly it shines is told by Phong's constant",
                    f"{library} · {material} · Ks {' '.join(f'{v:.3g}' for v in shine)}",
                    PHONG,
                    weight=16,
                )
            )

        for material in read_mtl(
            bundle.files[found].decode("utf-8", "replace"),
            found,
            lambda n: ids.make("material", n),
            image_of,
            unread,
            phong,
        ):
            materials.setdefault(material.name, material)
    return materials, images


def _assemble(
    name: str,
    groups: dict[tuple[str, str], _Faces],
    points: list[list[float]],
    uvs: Any,
    normals: Any,
    materials: dict[str, Material],
    images: dict[str, Image],
    ids: IdMaker,
    findings: list[Finding],
    path: str,
) -> Scene:
    width = max((len(p) for p in points), default=3)
    table = np.full((len(points), 6), 1.0, np.float64)
    if width == 3:
        table[:, :3] = np.array(points, np.float64).reshape(-1, 3)
    else:
        for row, point in enumerate(points):
            table[row, : len(point)] = point
    has_colors = width >= 6
    uv_table = np.array(uvs, np.float32).reshape(-1, 2)
    normal_table = np.array(normals, np.float32).reshape(-1, 3)
    nodes: dict[str, Node] = {}
    meshes: dict[str, Mesh] = {}
    by_part: dict[str, list[tuple[str, _Faces]]] = {}
    for (part, material), faces in groups.items():
        if faces.sizes:
            by_part.setdefault(part, []).append((material, faces))
    for label, entries in by_part.items():
        primitives = []
        for material, faces in entries:
            primitive, dropped = _primitive(
                faces,
                table,
                uv_table,
                normal_table,
                has_colors,
                materials[material].id if material in materials else None,
            )
            if dropped:
                findings.append(
                    Finding(
                        f"index_out_of_range:{label}",
                        "index_out_of_range",
                        "Faces name points that do not exist",
                        f"{path} · {label} · {dropped} faces",
                        "They cannot be drawn and are left out.",
                        weight=60,
                    )
                )
            if material and material not in materials:
                findings.append(
                    Finding(
                        f"no_material:{label}:{material}",
                        "no_material",
                        "A material is not in the material file",
                        f"{label} · {material}",
                        "The part arrives grey.",
                        weight=50,
                    )
                )
            if len(primitive.indices):
                primitives.append(primitive)
        shape = ids.make("mesh", label)
        id = ids.make("part", label)
        meshes[shape] = Mesh(shape, name=label, primitives=tuple(primitives))
        nodes[id] = Node(id, label, None, np.eye(4), mesh=shape)
    return Scene(
        name,
        nodes,
        meshes,
        {m.id: m for m in materials.values()},
        images,
        unit_m=Declared(1.0, "guess", "OBJ files do not say"),
        up_axis=Declared("Y", "guess", "OBJ files do not say"),
        declares=frozenset({BYTE_COLORS}),
    )


def _primitive(
    faces: _Faces, table: Any, uv_table: Any, normal_table: Any, has_colors: bool, material: str | None
) -> tuple[Primitive, int]:
    """Triangles of one part and material; UVs and normals only when every corner names one.

    Beside the triangles, how many faces were left out.
    """
    corners = np.array(faces.corners, np.int64).reshape(-1, 3)
    uvs = [Attribute(uv_table, corners[:, 1])] if len(corners) and (corners[:, 1] >= 0).all() else []
    normals = Attribute(normal_table, corners[:, 2]) if len(corners) and (corners[:, 2] >= 0).all() else None
    colors = (
        Attribute(table[:, 3:6], corners[:, 0])
        if has_colors and not (table[np.clip(corners[:, 0], 0, len(table) - 1), 3:6] == 1).all()
        else None
    )
    cut = triangulated(
        np.array(faces.sizes, np.int64),
        Attribute(table[:, :3], corners[:, 0]),
        normals,
        uvs,
        colors,
        material,
    )
    return cut.primitive, cut.dropped
