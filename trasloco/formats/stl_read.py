"""STL to the neutral scene: ASCII with several solids, binary with either of the two common colour habits.

It declares neither unit nor axis.
"""

from __future__ import annotations

import re

import numpy as np
import numpy.typing as npt

from trasloco.errors import Refused
from trasloco.formats.bundle import Bundle
from trasloco.formats.polygons import Attribute, triangulated
from trasloco.formats.reading import Notes, Read
from trasloco.scene.model import Declared, Input, Material, Mesh, Node, Scene

_FACET = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("color", "<u2")])
_NUMBER = rb"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?|[-+]?nan|[-+]?inf"
_AGAIN = "Export the file again."


def is_binary_stl(data: bytes) -> bool:
    """Whether the length is what a binary file of its count has: the one sure mark, since some binary files
    begin with ``solid`` too.
    """
    return len(data) >= 84 and len(data) == 84 + 50 * int.from_bytes(data[80:84], "little")


def read_stl(path: str, bundle: Bundle) -> Read:
    """Read the STL file at ``path``.

    Raises:
        Refused: cut short, not STL, or without facets.
    """
    data = bundle.held(path)
    notes = Notes(path, bundle, used={path})
    solids = (
        _binary(data, notes)
        if is_binary_stl(data) or data.lstrip()[:5].lower() != b"solid"
        else _ascii(data, path)
    )
    nodes: dict[str, Node] = {}
    meshes: dict[str, Mesh] = {}
    material = Material(
        notes.ids.make("material", notes.stem),
        notes.stem,
        {
            "base_color": Input((0.8, 0.8, 0.8), vertex_color=True, origin="guess"),
            "roughness": Input((0.8,), origin="guess"),
            "metalness": Input((0.0,), origin="guess"),
        },
    )
    for name, corners, colors in solids:
        at = np.arange(len(corners) * 3, dtype=np.int64)
        keys = np.ascontiguousarray(corners.reshape(-1, 3), np.float32)
        _, first, same = np.unique(
            keys.view(np.dtype((np.void, 12))).reshape(-1), return_index=True, return_inverse=True
        )
        tint = (
            Attribute(colors, np.repeat(np.arange(len(corners), dtype=np.int64), 3))
            if colors is not None
            else None
        )
        cut = triangulated(
            np.full(len(corners), 3, np.int64),
            Attribute(keys[first], same.reshape(-1)[at].astype(np.int64)),
            colors=tint,
            material=material.id,
        )
        if cut.dropped:
            notes.note(
                "not_finite",
                "Points that are not numbers",
                f"{name} · {cut.dropped} faces",
                "Faces that use them are left out.",
                weight=60,
            )
        part, mesh = notes.ids.make("part", name), notes.ids.make("mesh", name)
        meshes[mesh] = Mesh(mesh, name, (cut.primitive,))
        nodes[part] = Node(part, name, None, np.eye(4), mesh=mesh)
    if not any(len(p.indices) for mesh in meshes.values() for p in mesh.primitives):
        raise Refused("There are no faces in the file.", path, "Check that the export includes meshes.")
    scene = Scene(
        notes.stem,
        nodes,
        meshes,
        {material.id: material},
        unit_m=Declared(1.0, "guess", "STL files do not say"),
        up_axis=Declared("Y", "guess", "STL files do not say"),
    )
    return scene, notes.findings, notes.used


Solid = tuple[str, npt.NDArray[np.float32], npt.NDArray[np.float32] | None]


def _binary(data: bytes, notes: Notes) -> list[Solid]:
    if len(data) < 84:
        raise Refused("The file is cut short.", notes.where, _AGAIN)
    count = int.from_bytes(data[80:84], "little")
    held = (len(data) - 84) // 50
    if count > held:
        raise Refused(
            f"The file announces {count} facets and holds {held}.",
            notes.where,
            "The file is cut short or is not STL. " + _AGAIN,
        )
    facets = np.frombuffer(data, _FACET, count, 84)
    return [
        (notes.stem, facets["corners"].astype(np.float32), _facet_colors(data[:80], facets["color"], notes))
    ]


def _facet_colors(
    header: bytes, words: npt.NDArray[np.uint16], notes: Notes
) -> npt.NDArray[np.float32] | None:
    """Two habits fill the spare 16 bits: with a ``COLOR=`` header, red lowest and bit 15 clear for an own
    colour; else blue lowest and bit 15 set for a colour.
    """
    if not words.any():
        return None
    low, middle, high = ((words >> shift & 31).astype(np.float32) / 31 for shift in (0, 5, 10))
    at = header.find(b"COLOR=")
    if at >= 0 and at + 10 <= len(header):
        whole = np.frombuffer(header[at + 6 : at + 10], np.uint8)[:3].astype(np.float32) / 255
        own = (words & 0x8000) == 0
        rgb = np.where(own[:, None], np.stack([low, middle, high], axis=1), whole)
    else:
        own = (words & 0x8000) != 0
        if not own.any():
            notes.note(
                "unread",
                "Facets carry numbers that are no colours",
                "binary facets",
                "They stay behind.",
                weight=6,
            )
            return None
        rgb = np.where(own[:, None], np.stack([high, middle, low], axis=1), np.float32(1))
    return np.asarray(rgb, np.float32)


def _ascii(data: bytes, path: str) -> list[Solid]:
    solids: list[Solid] = []
    for k, match in enumerate(
        re.finditer(
            rb"^\s*solid[ \t]*([^\r\n]*)\r?\n(.*?)(?:^\s*endsolid|\Z)",
            data,
            re.DOTALL | re.MULTILINE | re.IGNORECASE,
        )
    ):
        name = match.group(1).decode("utf-8", "replace").strip() or f"solid-{k + 1}"
        rows = re.findall(
            rb"vertex\s+(" + _NUMBER + rb")\s+(" + _NUMBER + rb")\s+(" + _NUMBER + rb")",
            match.group(2),
            re.IGNORECASE,
        )
        if match.group(2).lower().count(b"vertex") != len(rows) or len(rows) % 3:
            raise Refused(
                f"The facets of {name} cannot be read.", path, "The file is cut short or damaged. " + _AGAIN
            )
        solids.append(
            (
                name,
                np.array(rows, dtype="S").astype(np.float64).astype(np.float32).reshape(-1, 3, 3)
                if rows
                else np.zeros((0, 3, 3), np.float32),
                None,
            )
        )
    if not solids:
        raise Refused("The content is not STL.", path, _AGAIN)
    return solids
