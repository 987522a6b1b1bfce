"""Meshes of a USD stage: primvars of every interpolation, subsets as slots, holes, left-handed faces."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt
from pxr import Usd, UsdGeom, UsdShade

from trasloco.formats.polygons import Attribute, triangulated
from trasloco.formats.reading import Notes
from trasloco.formats.usd_materials import UsdMaterials, UvSets
from trasloco.formats.usd_names import MESH_NAME
from trasloco.scene.model import Floats, Primitive

Integers = npt.NDArray[np.int64]


class UsdMeshes:
    """Turns mesh prims into primitives, one a material."""

    def __init__(self, notes: Notes, materials: UsdMaterials, uv_sets: UvSets) -> None:
        self.notes, self.materials, self.uv_sets = notes, materials, uv_sets

    def primitives(self, prim: Any, label: str) -> list[tuple[Primitive, Integers]]:
        """Primitives of a mesh and, for each, the point every vertex came from."""
        mesh = UsdGeom.Mesh(prim)
        points = self.points_of(prim)
        sizes, order = (
            _array(mesh.GetFaceVertexCountsAttr(), np.int64).reshape(-1),
            _array(mesh.GetFaceVertexIndicesAttr(), np.int64).reshape(-1),
        )
        if not len(points) or not len(sizes):
            self.notes.note(
                "no_positions",
                "A mesh without points",
                label,
                "It has nothing to show and is left out.",
                weight=30,
            )
            return []
        if int(sizes.sum()) != len(order):
            self.notes.note(
                "index_out_of_range",
                "A mesh is cut short",
                label,
                "Its face sizes do not add up to its corners; it is left out.",
                weight=60,
            )
            return []
        scheme = str(mesh.GetSubdivisionSchemeAttr().Get() or "catmullClark")
        if scheme != "none" and mesh.GetSubdivisionSchemeAttr().HasAuthoredValue():
            self.notes.note(
                "assumed",
                "A subdivision surface",
                f"{label} · {scheme}",
                "Its control mesh is carried; the destination may not round it off.",
                weight=15,
            )
        owner = np.repeat(np.arange(len(sizes)), sizes)
        place = _Places(owner, order, len(points), len(sizes))
        normals, uvs, colors = self._attributes(prim, mesh, place, label)
        holes = np.zeros(len(sizes), bool)
        listed = mesh.GetHoleIndicesAttr().Get()
        if listed:
            holes[[h for h in listed if 0 <= h < len(sizes)]] = True
        left = str(mesh.GetOrientationAttr().Get() or "") == "leftHanded"
        groups = self._groups(prim, len(sizes), label)
        doubled = bool(mesh.GetDoubleSidedAttr().Get())
        tangents = _tangents(prim, len(points))
        made: list[tuple[Primitive, Integers]] = []
        dropped = 0
        for faces, material in groups:
            corners = np.flatnonzero(np.isin(owner, faces)) if len(groups) > 1 else np.arange(len(order))
            local = [replace(a, at=a.at[corners]) for a in uvs]
            cut = triangulated(
                sizes[faces],
                Attribute(points, order[corners]),
                replace(normals, at=normals.at[corners]) if normals else None,
                local,
                replace(colors, at=colors.at[corners]) if colors else None,
                material,
                holes[faces],
            )
            dropped += cut.dropped
            primitive = cut.primitive
            if tangents is not None:
                primitive = replace(primitive, tangents=tangents[cut.point])
            if left:
                primitive = replace(primitive, indices=np.ascontiguousarray(primitive.indices[:, ::-1]))
            if len(primitive.indices):
                made.append((primitive, cut.point))
        if dropped:
            self.notes.note(
                "index_out_of_range",
                "Faces name points that do not exist",
                f"{label} · {dropped} of {len(sizes)} faces",
                "They cannot be drawn and are left out.",
                weight=60,
            )
        if doubled:
            for primitive, _ in made:
                self._two_sided(primitive.material)
        return made

    def points_of(self, prim: Any) -> npt.NDArray[np.float64]:
        """Points (P, 3) of a mesh at rest: at its first moment."""
        return _array(UsdGeom.Mesh(prim).GetPointsAttr(), np.float64).reshape(-1, 3)

    def bound_material(self, prim: Any) -> str | None:
        """The material bound to a prim as a whole, inherited ones counted."""
        whole = UsdShade.MaterialBindingAPI(prim).ComputeBoundMaterial()[0]
        return self.materials.material(whole) if whole else None

    def _two_sided(self, material: str | None) -> None:
        for path, held in self.materials.made.items():
            if held.id == material and not held.double_sided:
                self.materials.made[path] = replace(held, double_sided=True)

    def _groups(self, prim: Any, count: int, label: str) -> list[tuple[Integers, str | None]]:
        """Faces by material: subsets of the material family first, the mesh's own binding for the rest."""
        own = self.bound_material(prim)
        ours = prim.HasAttribute(MESH_NAME)
        left = np.ones(count, bool)
        groups: list[tuple[Integers, str | None]] = []
        for subset in UsdGeom.Subset.GetAllGeomSubsets(UsdGeom.Imageable(prim)):
            bound = UsdShade.MaterialBindingAPI(subset.GetPrim()).ComputeBoundMaterial()[0]
            if str(subset.GetElementTypeAttr().Get()) != "face" or not (bound or ours):
                continue
            faces = _array(subset.GetIndicesAttr(), np.int64).reshape(-1)
            sound = faces[(faces >= 0) & (faces < count)]
            fresh = np.unique(sound[left[sound]])
            if len(fresh) != len(faces):
                self.notes.note(
                    "index_out_of_range",
                    "Face groups overlap or reach too far",
                    f"{label} · {subset.GetPrim().GetName()}",
                    "The first group keeps each face.",
                    weight=30,
                )
            left[fresh] = False
            if len(fresh):
                groups.append((fresh, self.materials.material(bound) if bound else None))
        rest = np.flatnonzero(left)
        if len(rest):
            groups.insert(0, (rest, own))
        return groups

    def _attributes(
        self, prim: Any, mesh: Any, place: _Places, label: str
    ) -> tuple[Attribute | None, list[Attribute], Attribute | None]:
        def unfit(name: str) -> None:
            self.notes.note(
                "attribute_mismatch",
                "A mesh attribute does not fit its points",
                f"{label} · {name}",
                "The attribute is left out.",
                weight=30,
            )

        variables = UsdGeom.PrimvarsAPI(prim)
        found = variables.FindPrimvarWithInheritance("normals")
        if found and found.HasValue():
            normals = place.attribute(
                _flat(found, 3), str(found.GetInterpolation()), lambda: unfit("normals")
            )
        else:
            values = mesh.GetNormalsAttr().Get()
            normals = (
                place.attribute(
                    np.array(values, np.float32).reshape(-1, 3),
                    str(mesh.GetNormalsInterpolation()),
                    lambda: unfit("normals"),
                )
                if values is not None and len(values)
                else None
            )
        by_name: dict[str, Attribute] = {}
        color: Attribute | None = None
        for variable in variables.FindPrimvarsWithInheritance():
            name, kind = str(variable.GetPrimvarName()), str(variable.GetTypeName())
            if name == "displayColor" and variable.HasValue():
                color = place.attribute(
                    _with_opacity(variables, variable),
                    str(variable.GetInterpolation()),
                    lambda: unfit("displayColor"),
                )
            elif (
                kind in ("texCoord2f[]", "float2[]", "texCoord2d[]", "texCoord2h[]", "double2[]", "half2[]")
                and variable.HasValue()
            ):
                made = place.attribute(
                    _flat(variable, 2),
                    str(variable.GetInterpolation()),
                    lambda name=name: unfit(name),  # type: ignore[misc]
                )  # type: ignore[misc]
                if made is not None:
                    by_name[name] = made
        for name in sorted(by_name, key=lambda n: (n != "st", n)):
            self.uv_sets.of(name)
        wanted = sorted((number, name) for name, number in self.uv_sets.numbers.items() if name in by_name)
        uvs: list[Attribute] = []
        for number, name in wanted:
            while len(uvs) < number:
                uvs.append(Attribute(np.zeros((1, 2), np.float32), np.zeros(len(place.points), np.int64)))
            uvs.append(by_name[name])
        return normals, uvs[:8], color


class _Places:
    """Which value each corner takes, by interpolation."""

    def __init__(self, faces: Integers, points: Integers, point_count: int, face_count: int) -> None:
        self.faces, self.points, self.point_count, self.face_count = faces, points, point_count, face_count

    def attribute(self, values: Floats, interpolation: str, unfit: Callable[[], None]) -> Attribute | None:
        count = {
            "vertex": self.point_count,
            "varying": self.point_count,
            "faceVarying": len(self.points),
            "uniform": self.face_count,
            "constant": 1,
        }.get(interpolation, -1)
        if count < 0 or len(values) < count or (interpolation != "constant" and len(values) != count):
            unfit()
            return None
        at = {
            "vertex": self.points,
            "varying": self.points,
            "faceVarying": np.arange(len(self.points), dtype=np.int64),
            "uniform": self.faces,
            "constant": np.zeros(len(self.points), np.int64),
        }[interpolation]
        return Attribute(values, at)


def one_color(prim: Any, count: int) -> Floats | None:
    """The display colour of a prim that has one for all its surface, as (count, 4), or None."""
    variable = UsdGeom.PrimvarsAPI(prim).FindPrimvarWithInheritance("displayColor")
    values = _flat(variable, 3) if variable and variable.HasValue() else np.zeros((0, 3), np.float32)
    return (
        np.tile(np.append(values[0], np.float32(1)), (count, 1)).astype(np.float32)
        if len(values) == 1
        else None
    )


def _with_opacity(variables: Any, color: Any) -> Floats:
    """Display colours (N, 3), or (N, 4) where an opacity of the same kind stands beside them."""
    rgb = _flat(color, 3)
    other = variables.FindPrimvarWithInheritance("displayOpacity")
    if not other or not other.HasValue() or other.GetInterpolation() != color.GetInterpolation():
        return rgb
    alpha = _flat(other, 1)
    return np.concatenate([rgb, alpha], axis=1) if len(alpha) == len(rgb) else rgb


def _tangents(prim: Any, count: int) -> Floats | None:
    """Tangents with the sign of their bitangent, one a point, (count, 4) or None."""
    held = UsdGeom.PrimvarsAPI(prim).FindPrimvarWithInheritance("tangents")
    if not held or not held.HasValue() or str(held.GetTypeName()) not in ("float4[]", "double4[]"):
        return None
    table = _flat(held, 4)
    return table if len(table) == count else None


def _flat(variable: Any, width: int) -> Floats:
    values = variable.ComputeFlattened()
    table = np.array(values if values is not None else [], np.float32)
    return table.reshape(-1, width) if table.size % width == 0 else np.zeros((0, width), np.float32)


def _array(attribute: Any, dtype: Any) -> npt.NDArray[Any]:
    value = attribute.Get(Usd.TimeCode.EarliestTime()) if attribute else None
    return np.array(value if value is not None else [], dtype)
