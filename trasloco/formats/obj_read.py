"""Wavefront OBJ with MTL to the neutral scene.

The format declares neither unit, axis nor what its images mean: the source sheet does.
"""

from __future__ import annotations

import codecs
import posixpath
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle
from trasloco.formats.mtl import PHONG, read_mtl
from trasloco.formats.obj_lines import Lines, Unreadable, corner_of, lines_of
from trasloco.formats.polygons import Attribute, triangulated
from trasloco.formats.reading import CLOUDS_TRAVEL
from trasloco.limits import LIMITS
from trasloco.scene.findings import Finding
from trasloco.scene.ids import IdMaker
from trasloco.scene.images import Image, identify, missing_image
from trasloco.scene.model import BYTE_COLORS, Cloud, Declared, Material, Mesh, Node, Primitive, Scene

_FOREIGN = {"vp", "curv", "curv2", "surf", "cstype", "deg", "parm", "trim", "bmat"}


@dataclass(frozen=True)
class _Faces:
    """Faces of one part and material: corners (C, 3) naming point, UV and normal, and sizes (F,)."""

    corners: npt.NDArray[np.int64]
    sizes: npt.NDArray[np.int64]


def read_obj(path: str, bundle: Bundle) -> tuple[Scene, list[Finding], set[str]]:
    """Read the OBJ file at ``path`` of the bundle.

    Returns:
        The scene in the file's own unit and axis, findings, and the bundle paths that were used.

    Raises:
        Refused: not text, too large, a line that cannot be read, no geometry at all.
    """
    data = bundle.held(path)
    if len(data) > LIMITS.text_bytes:
        raise Refused("The file is larger than the limit for text.", path, "Deliver it as glTF.")
    marked = data.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE))
    if b"\0" in data[:4096] and not marked:
        raise Refused("The file is called .obj but its content is not text.", path, "Export it again.")
    text = data.decode("utf-16").encode() if marked else data.removeprefix(codecs.BOM_UTF8)
    findings: list[Finding] = []
    used = {path}
    try:
        lines = lines_of(text.replace(b"\r", b"").replace(b"\\\n", b" "))
        told = _told(lines)
    except Unreadable as error:
        raise Refused(
            f"Line {error.row} cannot be read ({error.why}).", path, "Export the file again."
        ) from None
    groups, libraries, strokes, skipped = told.groups, told.libraries, told.strokes, told.skipped
    if not groups and not strokes:
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
        lines,
        materials,
        images,
        ids,
        findings,
        path,
    )
    return _with_strokes(scene, strokes, lines, ids), findings, used


@dataclass(frozen=True)
class _Told:
    """What the words between points and faces tell: faces by part and material in the order of their first,
    material files, lines and points by part, and what is not read.
    """

    groups: dict[tuple[str, str], _Faces]
    libraries: list[str]
    strokes: dict[tuple[str, str], list[list[int]]]
    skipped: dict[str, int]


def _told(lines: Lines) -> _Told:
    """Raises Unreadable where a line or point names no number."""
    runs: dict[tuple[str, str], list[tuple[int, int, int, int]]] = {}
    told = _Told({}, [], {}, {})
    part, material, named = "unnamed", "", False
    face, corner = 0, 0

    def close(faces: int, corners: int) -> None:
        """Faces up to here are of the part and material that were named last."""
        nonlocal face, corner
        if faces > face:
            runs.setdefault((part, material), []).append((face, faces, corner, corners))
        face, corner = faces, corners

    for other in lines.others:
        key, words = other.words[0], other.words[1:]
        if key in ("o", "g"):
            if key == "o" or not named:
                close(other.faces, other.corners)
                part, named = " ".join(words) or "unnamed", named or key == "o"
        elif key == "usemtl":
            close(other.faces, other.corners)
            material = " ".join(words)
        elif key == "mtllib":
            told.libraries.append(" ".join(words))
        elif key in ("l", "p"):
            try:
                run = [corner_of(word, other.counts)[0] for word in words]
            except ValueError as error:
                raise Unreadable(other.row, str(error)) from None
            told.strokes.setdefault((part, key), []).append(run)
        elif key in _FOREIGN:
            told.skipped["curved surfaces"] = told.skipped.get("curved surfaces", 0) + 1
    close(len(lines.sizes), len(lines.corners))
    if lines.short:
        told.skipped["faces of fewer than three points"] = lines.short
    for group, spans in runs.items():
        told.groups[group] = _Faces(
            np.concatenate([lines.corners[c0:c1] for _, _, c0, c1 in spans]),
            np.concatenate([lines.sizes[f0:f1] for f0, f1, _, _ in spans]),
        )
    return told


def _with_strokes(
    scene: Scene, strokes: dict[tuple[str, str], list[list[int]]], lines: Lines, ids: IdMaker
) -> Scene:
    """The scene with its ``l`` and ``p`` statements as lines and points, each of the part it was written in."""
    nodes, clouds = dict(scene.nodes), {}
    for (part, key), runs in strokes.items():
        kept = [[at for at in run if 0 <= at < len(lines.points)] for run in runs]
        pairs = [(a, b) for run in kept for a, b in pairwise(run)] if key == "l" else []
        used = np.unique([at for run in kept for at in run]).astype(np.int64)
        if not len(used):
            continue
        table = lines.points[used].astype(np.float32)
        tinted = (lines.widths[used] >= 6).all()
        cloud = Cloud(
            ids.make("cloud", part),
            part,
            np.ascontiguousarray(table[:, :3]),
            np.searchsorted(used, np.array(pairs, np.int64).reshape(-1, 2)).astype(np.uint32),
            np.concatenate([table[:, 3:6], np.ones((len(used), 1), np.float32)], axis=1) if tinted else None,
        )
        clouds[cloud.id] = cloud
        id = ids.make("part", f"{part} {'lines' if key == 'l' else 'points'}")
        nodes[id] = Node(id, f"{part} {'lines' if key == 'l' else 'points'}", None, np.eye(4), cloud=cloud.id)
    return replace(scene, nodes=nodes, clouds=clouds)


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
            bundle.held(found).decode("utf-8", "replace"),
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
    lines: Lines,
    materials: dict[str, Material],
    images: dict[str, Image],
    ids: IdMaker,
    findings: list[Finding],
    path: str,
) -> Scene:
    nodes: dict[str, Node] = {}
    meshes: dict[str, Mesh] = {}
    by_part: dict[str, list[tuple[str, _Faces]]] = {}
    for (part, material), faces in groups.items():
        by_part.setdefault(part, []).append((material, faces))
    for label, entries in by_part.items():
        primitives = []
        for material, faces in entries:
            primitive, dropped = _primitive(
                faces,
                lines,
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


def _primitive(faces: _Faces, lines: Lines, material: str | None) -> tuple[Primitive, int]:
    """Triangles of one part and material; UVs and normals only when every corner names one.

    Beside the triangles, how many faces were left out.
    """
    point, uv, normal = faces.corners.T
    uvs = [Attribute(lines.uvs, uv)] if (uv >= 0).all() else []
    normals = Attribute(lines.normals, normal) if (normal >= 0).all() else None
    tints = lines.points[:, 3:6]
    tinted = lines.widths.max(initial=0) >= 6 and not (tints[np.clip(point, 0, len(tints) - 1)] == 1).all()
    colors = Attribute(tints, point) if tinted else None
    cut = triangulated(faces.sizes, Attribute(lines.points[:, :3], point), normals, uvs, colors, material)
    return cut.primitive, cut.dropped
