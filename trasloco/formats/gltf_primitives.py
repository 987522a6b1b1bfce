"""Mesh primitives of glTF 2.0 (section 3.7.2): every mode, compressed or plain, damaged faces told and left
out.
"""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.formats.gltf_compressed import DRACO
from trasloco.formats.gltf_reading import Reading
from trasloco.scene.extent import within_reach
from trasloco.scene.model import Floats, Indices, MorphTarget, Primitive


def triangles_of(mode: int, order: Indices) -> Indices | None:
    """Triangle list of a primitive mode (glTF 2.0, 3.7.2.1), or None for points and lines."""
    if mode == 4:
        return order[: len(order) // 3 * 3].reshape(-1, 3)
    if mode == 5:
        rows = np.arange(max(len(order) - 2, 0))
        flip = rows % 2
        return np.stack([order[rows], order[rows + 1 + flip], order[rows + 2 - flip]], axis=1).astype(
            np.uint32
        )
    if mode == 6:
        rows = np.arange(1, max(len(order) - 1, 1))
        return np.stack(
            [order[rows], order[rows + 1], np.full(len(rows), order[0] if len(order) else 0)], axis=1
        ).astype(np.uint32)
    return None


class _Attributes:
    """Attribute values by name, from accessors or from a Draco mesh."""

    def __init__(self, reading: Reading, source: dict[str, Any], where: str) -> None:
        self.access, self.reading, self.where = reading.access, reading, where
        self.accessors: dict[str, Any] = source.get("attributes", {})
        packed = source.get("extensions", {}).get(DRACO)
        self.view = int(packed["bufferView"]) if packed else -1
        self.unique: dict[str, int] = packed.get("attributes", {}) if packed else {}

    def __contains__(self, name: str) -> bool:
        return name in self.accessors or name in self.unique

    def raw(self, name: str) -> npt.NDArray[Any]:
        packed = (
            self.access.draco_attributes.get((self.view, self.unique[name])) if name in self.unique else None
        )
        return packed if packed is not None else self.access.raw(self.accessors[name])

    def floats(self, name: str) -> Floats:
        normalized = (
            bool(self.access.entry("accessors", self.accessors[name]).get("normalized", False))
            if name in self.accessors
            else False
        )
        return self.access.as_floats(self.raw(name), normalized)

    def matching(self, name: str, width: int, count: int) -> Floats | None:
        """(count, width) finite values, or None with a finding when they do not fit."""
        if name not in self:
            return None
        values = self.floats(name)
        if len(values) != count or values.shape[1] < width:
            self.reading.note(
                "attribute_mismatch",
                "A mesh attribute does not fit its points",
                f"{self.where} · {name}",
                "The attribute is left out.",
            )
            return None
        bad = int((~np.isfinite(values[:, :width]).all(axis=1)).sum())
        if bad:
            self.reading.note(
                "attribute_not_finite",
                "Attribute values that are not numbers",
                f"{self.where} · {name} · {bad} of {count} points",
                "They are taken as zero.",
                weight=35,
            )
        return np.nan_to_num(values[:, :width], posinf=0, neginf=0)


def read_primitive(
    reading: Reading, source: dict[str, Any], where: str, materials: list[str]
) -> Primitive | None:
    """A primitive as triangles, or None with a finding."""
    attributes = _Attributes(reading, source, where)
    if "POSITION" not in attributes:
        reading.note(
            "no_positions", "A mesh without points", where, "It has nothing to show and is left out."
        )
        return None
    positions = attributes.floats("POSITION")
    count = len(positions)
    mode = source.get("mode", 4)
    if attributes.view in reading.access.draco_faces:
        order, mode = reading.access.draco_faces[attributes.view].reshape(-1), 4
    else:
        order = (
            reading.access.integers(source["indices"]).reshape(-1)
            if "indices" in source
            else np.arange(count, dtype=np.uint32)
        )
    triangles = triangles_of(mode, order)
    if triangles is None:
        reading.note("not_triangles", "A kind of primitive that is not known", where, "It is left out.")
        return None
    good: npt.NDArray[np.bool_] = (
        np.asarray((triangles < count).all(axis=1)) if len(triangles) else np.zeros(0, bool)
    )
    if not good.all():
        reading.note(
            "index_out_of_range",
            "Faces name points that do not exist",
            f"{where} · {int((~good).sum())} of {len(good)} faces",
            "They cannot be drawn and are left out.",
            weight=60,
        )
    finite: npt.NDArray[np.bool_] = within_reach(positions)
    if not finite.all():
        reading.note(
            "not_finite",
            "Points that are not numbers",
            f"{where} · {int((~finite).sum())} of {count} points",
            "Faces that use them are left out.",
            weight=60,
        )
        positions = np.where(finite[:, None], positions, 0).astype(np.float32)
        good = np.asarray(good & finite[np.minimum(triangles, count - 1)].all(axis=1), bool)
    colors = attributes.matching("COLOR_0", 3, count)
    if colors is not None:
        four = attributes.matching("COLOR_0", 4, count) if attributes.raw("COLOR_0").shape[1] == 4 else None
        colors = (
            four if four is not None else np.concatenate([colors, np.ones((count, 1), np.float32)], axis=1)
        )
    if "COLOR_1" in attributes or "JOINTS_1" in attributes:
        more = [name for name in ("COLOR_1", "JOINTS_1") if name in attributes]
        reading.note(
            "attribute_unread",
            "More colours or joints than are read",
            f"{where} · {', '.join(more)}",
            "Only the first set of each travels.",
            weight=12,
        )
    joints = (
        attributes.raw("JOINTS_0").astype(np.uint16)
        if "JOINTS_0" in attributes and len(attributes.raw("JOINTS_0")) == count
        else None
    )
    uvs: list[Floats] = []
    for k in range(8):
        uv = attributes.matching(f"TEXCOORD_{k}", 2, count)
        if uv is None:
            break
        uvs.append(uv)
    material = (
        materials[source["material"]]
        if "material" in source and reading.access.entry("materials", source["material"]) is not None
        else None
    )
    kept = np.ascontiguousarray(triangles[good])
    return Primitive(
        positions,
        kept,
        attributes.matching("NORMAL", 3, count),
        attributes.matching("TANGENT", 4, count),
        tuple(uvs),
        colors,
        joints,
        attributes.matching("WEIGHTS_0", 4, count),
        _morphs(reading, source, count, where),
        material,
        _variants(reading, source, materials),
    )


def _morphs(reading: Reading, source: dict[str, Any], count: int, where: str) -> tuple[MorphTarget, ...]:
    found: list[MorphTarget] = []
    for target in source.get("targets", []):
        moved = {
            name: reading.access.floats(target[name]) if name in target else None
            for name in ("POSITION", "NORMAL")
        }
        if any(values is not None and values.shape != (count, 3) for values in moved.values()):
            reading.note(
                "attribute_mismatch",
                "A mesh attribute does not fit its points",
                f"{where} · morph target",
                "The morph target moves nothing.",
            )
            moved = {"POSITION": None, "NORMAL": None}
        found.append(MorphTarget(moved["POSITION"], moved["NORMAL"]))
    return tuple(found)


def variant_names(reading: Reading) -> list[str]:
    """Names of KHR_materials_variants."""
    return [
        str(item.get("name", f"variant-{k}"))
        for k, item in enumerate(
            reading.document.get("extensions", {}).get("KHR_materials_variants", {}).get("variants", [])
        )
    ]


def _variants(reading: Reading, source: dict[str, Any], materials: list[str]) -> dict[str, str]:
    names = variant_names(reading)
    found: dict[str, str] = {}
    for mapping in source.get("extensions", {}).get("KHR_materials_variants", {}).get("mappings", []):
        reading.access.entry("materials", mapping.get("material"))
        found |= {
            names[k]: materials[mapping["material"]]
            for k in mapping.get("variants", [])
            if isinstance(k, int) and 0 <= k < len(names)
        }
    return found
