"""What the slots of a mesh wear, drawn into images over one new UV set.

Every texel takes what the input is at that place: image, number, colours on points. Relief is turned from the
directions of the old UVs to those of the new ones. It is done on the delivered materials, so that no rule of
the destination is asked twice.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.fit.formulas import codes as do
from trasloco.fit.model import Carried, Crossing, Plan, PlannedImage
from trasloco.fit.together.between import see_through_of
from trasloco.fit.together.frames import Framed, along_new, framed, on_object
from trasloco.fit.together.planned import Gathered, gathered_of
from trasloco.fit.together.units import Unit, units_of
from trasloco.fit.writing import written
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.progress import Progress
from trasloco.scene.charts import Charted, chart
from trasloco.scene.covering import cover, padded
from trasloco.scene.geometry import blended, face_vectors, spread_points, taken
from trasloco.scene.images import Image, identify, pixels
from trasloco.scene.joining import faceted, filled, joined_slots
from trasloco.scene.layers import values_on
from trasloco.scene.model import Input, Material, Mesh, Primitive, Scene, Texture
from trasloco.scene.sampling import bilinear
from trasloco.sheets.model import Sheet

Floats = npt.NDArray[np.float32]
PADDING = 4
_POINTS = 2048


def drawn_together(
    inner: Carried, plan: Plan, reference: Scene, destination: Sheet, progress: Progress
) -> Carried:
    """What is delivered: every mesh in its one material, the images that it reads, crossings as measured."""
    assert plan.between is not None
    scene = inner.scene
    wearing: dict[str, list[str]] = {}
    for part in reference.parts():
        if part.id in scene.nodes:
            wearing.setdefault(part.mesh or "", []).append(scene.nodes[part.id].mesh or "")
    meshes = dict(scene.meshes)
    images: dict[str, Image] = {}
    materials: dict[str, Material] = {}
    gaps: dict[str, list[Floats]] = {}
    units = units_of(reference, destination)
    for number, unit in enumerate(units):
        copies = [scene.meshes[id] for id in dict.fromkeys(wearing.get(unit.mesh, ()))]
        wanted = [image for image in plan.images if image.of == unit.mesh]
        if not copies:
            continue
        desk = _Desk(unit, copies[0], scene, plan.between, destination, wanted)
        made, material = desk.drawn()
        images |= made
        materials[material.id] = replace(material, name=_name(unit, reference, scene))
        meshes |= {copy.id: desk.wearing(copy) for copy in copies}
        for id, gap in desk.gaps(made):
            gaps.setdefault(id, []).append(gap)
        progress((number + 1) / len(units), f"{number + 1} of {len(units)} parts drawn")
    kept = {
        id: image for id, image in scene.images.items() if id not in {i.id for i in inner.images.values()}
    }
    crossings = tuple(_measured(c, gaps.get(c.id)) for c in with_measures(plan, inner.plan))
    delivered = replace(
        scene, meshes=meshes, materials=materials, images=kept | {i.id: i for i in images.values()}
    )
    return Carried(delivered, replace(plan, crossings=crossings, meshes=inner.plan.meshes), images)


def _name(unit: Unit, reference: Scene, scene: Scene) -> str:
    first = next(part for part in reference.parts() if part.mesh == unit.mesh)
    return scene.nodes[first.id].name


def with_measures(plan: Plan, inner: Plan) -> Iterator[Crossing]:
    """The plan's crossings, with what was measured on the way there."""
    assert plan.between is not None
    meant = {crossing.id: crossing for crossing in plan.between.crossings}
    before = {crossing.id: crossing for crossing in inner.crossings}
    for crossing in plan.crossings:
        one, same = before[crossing.id], crossing == meant[crossing.id]
        yield one if same else replace(crossing, rms=one.rms)


def _measured(crossing: Crossing, gaps: list[Floats] | None) -> Crossing:
    if not gaps:
        return crossing
    apart = float(np.sqrt(np.mean(np.concatenate([gap.reshape(-1) for gap in gaps]) ** 2)))
    return replace(crossing, rms=float(np.hypot(apart, crossing.rms or 0.0)), error=None)


@dataclass
class _Desk:
    """One unit on the table: its slots as delivered, ``mesh``, and where each lies in the new square."""

    unit: Unit
    mesh: Mesh
    scene: Scene
    inner: Plan
    destination: Sheet
    images: list[PlannedImage]

    def __post_init__(self) -> None:
        relief = any(self._reads(name) for name in VECTORS)
        self.slots = [_with_normals(p) if relief else p for p in filled(self.mesh)]
        self.gathered = gathered_of(self.unit, self.inner, self.destination)
        self.side = self.images[0].width if self.images else 0
        self.charts: list[Charted] = (
            chart([(p.positions, p.indices, p.normals) for p in self.slots], self.side, PADDING)
            if self.images
            else []
        )
        self.cut = (
            [taken(p, c.origin, c.indices) for p, c in zip(self.slots, self.charts, strict=True)]
            if self.images
            else self.slots
        )
        self.frames: dict[tuple[str, int], Framed] = {}

    def _reads(self, name: str) -> bool:
        return any(name in material.inputs for material in self._worn())

    def worn(self, p: Primitive) -> Material:
        return (
            self.scene.materials[p.material or ""] if p.material in self.scene.materials else Material("", "")
        )

    def wearing(self, copy: Mesh) -> Mesh:
        """A mesh with its slots as one, in the one material, on the new UVs; its points may be placed and turned
        over otherwise than those that were drawn."""
        slots = filled(copy)
        flat = all(p.normals is None for p in slots)
        if self.images:
            cut = []
            for p, mine, c in zip(slots, self.slots, self.charts, strict=True):
                p = _with_normals(p) if len(mine.positions) != len(p.positions) else p
                faces = c.indices if _same_way(p, mine) else c.indices[:, ::-1]
                cut.append(replace(taken(p, c.origin, faces), uvs=(c.uv,), colors=None, tangents=None))
            slots = cut
        else:
            slots = [replace(p, uvs=p.uvs[:1], colors=None, tangents=None) for p in slots]
        (whole,) = joined_slots([replace(p, material=None, variants={}) for p in slots], "one a part")
        if flat:  # they were only there to tell relief along
            whole = replace(whole, normals=None)
        return replace(copy, primitives=(replace(whole, material=self.unit.material),))

    def drawn(self) -> tuple[dict[str, Image], Material]:
        """The unit's image files by path, and its material."""
        covering = self._covering() if self.images else None
        inputs: dict[str, Input] = {}
        files: dict[str, Image] = {}
        worn = self._worn()
        told = [replace(m, alpha_mode=self.inner.alpha.get(m.id, "opaque")) for m in worn]  # type: ignore[arg-type]
        mode, cut = see_through_of(told) if told else ("opaque", 0.5)
        if mode == "mask" and self.destination.materials.cut_at == "half":
            cut = 0.5
        self.see_through = mode, cut
        self.strength = max((_strength(m) for m in worn), default=1.0)
        for planned in self.images:
            assert covering is not None
            planes = {}
            for channel, one in self._held(planned).items():
                values = self._over(covering, one.input) / np.float32(self.beside(one.input))
                planes[channel] = _codes(values, one.input, planned, self.destination)
            data = written(np.ascontiguousarray(do.pack(planes, dict(planned.fill), planned.depth)), planned)
            image = identify(f"image:{planned.path}", planned.path.rsplit("/", 1)[-1], planned.path, data)
            files[planned.path] = image
            for channel, one in self._held(planned).items():
                inputs[one.input] = self._pictured(one.input, channel, planned, image)
        for name, one in self.gathered.items():
            if one.set is None:
                inputs[name] = Input(one.number if one.even else self._mean(name))
        if self.strength != 1.0 and "emission" in inputs and "emission_strength" in self.gathered:
            inputs["emission_strength"] = Input((self.strength,))
        sides = any(m.double_sided for m in worn) or self.destination.materials.two_sided == "always"
        material = Material(
            self.unit.material,
            self.unit.name,
            inputs,
            mode,
            cut,
            sides,
        )
        return files, material

    def _held(self, planned: PlannedImage) -> dict[str, Gathered]:
        return {
            one.channel: one
            for one in self.gathered.values()
            if one.set is not None and one.set.name == planned.set and one.channel in planned.channels
        }

    def _pictured(self, name: str, channel: str, planned: PlannedImage, image: Image) -> Input:
        vectors = name in VECTORS
        texture = Texture(
            image.id,
            channel,
            planned.encoding if channel == "rgb" and not vectors else "linear",
            green_up=self.destination.conventions.normal_green == "up" or not vectors,
        )
        beside = self.beside(name)
        default = INPUTS[name].default if vectors else (beside,) * INPUTS[name].channels
        return Input(default, texture)

    def beside(self, name: str) -> float:
        """The number that stands beside an image and multiplies it: more than 1 where what is drawn is."""
        rule = self.destination.materials.inputs.get(name)
        if rule is None or not rule.multiplies or name in (*VECTORS, "emission"):
            return 1.0
        given = [m.inputs[name].factor for m in self._worn() if name in m.inputs]
        others = [INPUTS[name].default] if len(given) < len(self._worn()) else []
        return max(1.0, *(max(factor) for factor in (*given, *others)))

    def _worn(self) -> list[Material]:
        return [self.scene.materials[id] for id in self.unit.worn if id in self.scene.materials]

    def value(self, name: str, p: Primitive, corners: Any, weights: Any) -> Floats:
        """What the one material is to say at points of a slot, linear (N, C); relief as directions in the
        mesh's own space."""
        material = self.worn(p)
        given = material.inputs.get(name, Input(INPUTS[name].default))
        if name in VECTORS:
            return on_object(self.framed(p, given), name, given, p, self.scene.images, corners, weights)
        if name == "opacity" and self.inner.alpha.get(material.id, "opaque") == "opaque":
            return np.ones((len(corners), 1), np.float32)
        values = values_on(name, given, p, self.scene.images, corners, weights)
        if name == "opacity":
            return cut_alike(
                values, self.inner.alpha.get(material.id, "opaque"), material.alpha_cutoff, *self.see_through
            )
        if name == "emission" and "emission_strength" in self.gathered:
            return np.asarray(values * np.float32(_strength(material) / self.strength), np.float32)
        return values

    def framed(self, p: Primitive, given: Input) -> Framed:
        number = given.texture.uv_set if given.texture is not None else 0
        key = (str(id(p)), number)
        if key not in self.frames:
            k = next((k for k, one in enumerate(self.cut) if one is p), None)
            self.frames[key] = (
                framed(p, number)
                if k is None or not self.images
                else framed(self.slots[k], number).taken(self.charts[k].origin)
            )
        return self.frames[key]

    def _covering(self) -> tuple[npt.NDArray[np.int64], Floats]:
        """Which triangle lies over each texel, counted over all slots, and its weights there."""
        triangle = np.full((self.side, self.side), -1, np.int64)
        weights = np.zeros((self.side, self.side, 3), np.float32)
        first = 0
        for p, c in zip(self.cut, self.charts, strict=True):
            cover(np.ascontiguousarray(c.uv[p.indices] * self.side, np.float32), first, triangle, weights)
            first += len(p.indices)
        return triangle, weights

    def _over(
        self,
        covering: tuple[npt.NDArray[np.int64], Floats],
        name: str,
    ) -> Floats:
        """An input over the new square, (side, side, C), borders padded outwards; relief along the new UVs."""
        triangle, weights = covering
        picture = np.zeros((self.side, self.side, INPUTS[name].channels), np.float32)
        first = 0
        for p, c in zip(self.cut, self.charts, strict=True):
            here = (triangle >= first) & (triangle < first + len(p.indices))
            corners = p.indices[triangle[here] - first]
            values = self.value(name, p, corners, weights[here])
            if name in VECTORS:
                values = along_new(
                    framed(replace(p, tangents=None, uvs=(c.uv,)), 0), values, corners, weights[here]
                )
            picture[here] = values
            first += len(p.indices)
        return padded(picture, triangle >= 0)

    def _mean(self, name: str) -> tuple[float, ...]:
        """The mean of an input over the faces, by their area."""
        total, whole = np.zeros(INPUTS[name].channels), 0.0
        for p, _, values, _ in self._points(name):
            area = float(np.linalg.norm(face_vectors(p.positions, p.indices), axis=1).sum())
            total, whole = total + area * values.mean(axis=0), whole + area
        return tuple(float(v) for v in (total / whole if whole else np.asarray(INPUTS[name].default)))

    def _points(self, name: str) -> Iterator[tuple[Primitive, int, Floats, tuple[Any, Floats]]]:
        rng = np.random.default_rng(7)
        for k, p in enumerate(self.cut):
            spread = spread_points(p.positions, p.indices, _POINTS, rng)
            if spread is not None:
                corners, weights = p.indices[spread[0]], np.asarray(spread[1], np.float32)
                yield p, k, self.value(name, p, corners, weights), (corners, weights)

    def gaps(self, files: Mapping[str, Image]) -> Iterator[tuple[str, Floats]]:
        """By crossing: what its image says less what it was to say, at points spread over the faces, as
        stored."""
        whole = Texture("", wrap=("clamp", "clamp"))
        landed = {(c.material, c.landing.input): c.id for c in self.inner.crossings if c.landing.input}
        for planned in self.images:
            texels = pixels(files[planned.path])
            for channel, one in self._held(planned).items():
                spec = INPUTS[one.input]
                codes = do.extract(texels, channel)
                codes = codes if codes.ndim == 3 else codes[..., None]
                encoding = planned.encoding if spec.channels == 3 and one.input not in VECTORS else "linear"
                linear = do.decode(codes, encoding)
                for p, k, meant, (corners, weights) in self._points(one.input):
                    uv = blended(self.charts[k].uv, corners, np.asarray(weights, np.float64))
                    got = bilinear(linear, uv, whole)
                    meant = meant / np.float32(self.beside(one.input))
                    id = landed.get((p.material or "", one.input))
                    if id is None:
                        continue
                    if one.input in VECTORS:
                        new = framed(replace(p, tangents=None, uvs=(self.charts[k].uv,)), 0)
                        stored = along_new(new, meant, corners, weights)
                        yield id, np.asarray((_green(got * 2 - 1, self.destination) - stored) / 2, np.float32)
                    else:
                        encoded = encoding == "srgb"
                        yield id, do.stored(got, encoded) - do.stored(meant, encoded)


def cut_alike(values: Floats, mode: str, cutoff: float, whole_mode: str, whole_cutoff: float) -> Floats:
    """Opacity of one slot as a material of another see-through shows it alike: what is cut stays cut at the
    other's cut, and becomes open or solid where the other is blended."""
    if mode != "mask" or (whole_mode == "mask" and cutoff == whole_cutoff):
        return values
    if whole_mode == "blend":
        return np.asarray(values >= cutoff, np.float32)
    return np.asarray(np.clip(values - np.float32(cutoff - whole_cutoff), 0, 1), np.float32)


def _strength(material: Material) -> float:
    return float(material.inputs.get("emission_strength", Input((1.0,))).factor[0])


def _with_normals(p: Primitive) -> Primitive:
    return p if p.normals is not None else faceted(p)


def _same_way(p: Primitive, other: Primitive) -> bool:
    """Whether faces run the same way around; a mirrored copy has its first and third corner changed."""
    return bool(np.array_equal(p.indices, other.indices)) or not len(p.indices)


def _green(vectors: Floats, destination: Sheet) -> Floats:
    """Directions with the green that a destination means."""
    green = 1 if destination.conventions.normal_green == "up" else -1
    return vectors * np.asarray([1, green, 1], np.float32)


def _codes(values: Floats, name: str, planned: PlannedImage, destination: Sheet) -> Any:
    if name in VECTORS:
        values = _green(values, destination) * np.float32(0.5) + np.float32(0.5)
    encoding: do.Encoding = planned.encoding if values.shape[2] == 3 and name not in VECTORS else "linear"
    codes = do.to_depth(do.encode_values(values, encoding), planned.depth)
    return codes if codes.shape[2] == 3 else codes[..., 0]
