"""One mesh on the table: what its slots wear, drawn over the new UVs, texel by texel."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.fit.formulas import codes as do
from trasloco.fit.model import Plan, PlannedImage
from trasloco.fit.together.frames import Framed, along_new, framed, on_object
from trasloco.fit.together.planned import Gathered, gathered_of
from trasloco.fit.together.units import MOST_SIDE, Unit, natural_side
from trasloco.fit.together.ways import Ways
from trasloco.fit.writing import written
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.scene.charts import Charted
from trasloco.scene.covering import cover, nearest_inside
from trasloco.scene.geometry import blended, face_vectors, spread_points, taken
from trasloco.scene.images import Image, identify, pixels
from trasloco.scene.layers import values_on
from trasloco.scene.model import Input, Material, Primitive, Texture
from trasloco.scene.resolve import emission_strength
from trasloco.scene.sampling import bilinear
from trasloco.sheets.model import Sheet

Floats = npt.NDArray[np.float32]
_POINTS = 2048


@dataclass
class Desk:
    """What one unit is drawn from: its ``slots`` as delivered, where each lies in the new square (``charts``,
    empty where nothing is drawn), and the materials and images in the destination's terms.
    """

    unit: Unit
    ways: Ways
    slots: list[Primitive]
    charts: Sequence[Charted]
    materials: Mapping[str, Material]
    images: Mapping[str, Image]
    inner: Plan
    destination: Sheet
    wanted: Sequence[PlannedImage]

    def __post_init__(self) -> None:
        self.gathered = gathered_of(self.unit, self.inner, self.destination)
        self.side = self.wanted[0].width if self.wanted else 0
        pairs = zip(self.slots, self.charts, strict=False)
        self.cut = [taken(p, c.origin, c.indices) for p, c in pairs] if self.charts else self.slots
        self.worn = [self.materials[id] for id in self.unit.worn if id in self.materials]
        self.strength = max((emission_strength(m) for m in self.worn), default=1.0)

    def material(self, files: Mapping[str, Image]) -> Material:
        """The one material, named after the unit."""
        inputs: dict[str, Input] = {}
        for planned in self.wanted:
            for channel, one in self._held(planned).items():
                inputs[one.input] = self._pictured(one.input, channel, planned, files[planned.path])
        for name, one in self.gathered.items():
            if one.set is None:
                inputs[name] = Input(one.number if one.even else self._mean(name))
        if self.strength != 1.0 and "emission" in inputs and "emission_strength" in self.gathered:
            inputs["emission_strength"] = Input((self.strength,))
        drawn = self.ways
        return Material(
            self.unit.material,
            self.unit.name,
            inputs,
            drawn.alpha_mode,
            drawn.alpha_cutoff,
            drawn.double_sided,
        )

    def files(self) -> dict[str, Image]:
        """The unit's image files by path."""
        made = {}
        for planned in self.wanted:
            planes = {
                channel: _codes(self._over(one.input), one.input, planned, self.destination)
                for channel, one in self._held(planned).items()
            }
            data = written(
                np.ascontiguousarray(do.pack(planes, dict(planned.fill), planned.file_depth)), planned
            )
            name = planned.path.rsplit("/", 1)[-1]
            made[planned.path] = identify(f"image:{planned.path}", name, planned.path, data)
        return made

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
        default = INPUTS[name].default if vectors else (self._beside(name),) * INPUTS[name].channels
        return Input(default, texture)

    def _beside(self, name: str) -> float:
        """The number that stands beside an image and multiplies it: more than 1 where what is drawn is."""
        rule = self.destination.materials.inputs.get(name)
        if rule is None or not rule.multiplies or name in (*VECTORS, "emission"):
            return 1.0
        given = [m.inputs[name].factor for m in self.worn if name in m.inputs]
        others = [INPUTS[name].default] if len(given) < len(self.worn) else []
        return max(1.0, *(max(factor) for factor in (*given, *others)))

    def value(self, name: str, k: int, corners: Any, weights: Any) -> Floats:
        """What the one material is to say at points of a slot, linear (N, C); relief as directions in the
        mesh's own space."""
        p = self.cut[k]
        material = self.materials.get(p.material or "", Material("", ""))
        given = material.inputs.get(name, Input(INPUTS[name].default))
        mode = self.inner.alpha.get(material.id, "opaque")
        if name in VECTORS:
            return on_object(self._framed(k, given), name, given, p, self.images, corners, weights)
        if name == "opacity" and mode == "opaque":
            return np.ones((len(corners), 1), np.float32)
        values = values_on(name, given, p, self.images, corners, weights)
        if name == "opacity":
            return cut_alike(
                values, mode, material.alpha_cutoff, self.ways.alpha_mode, self.ways.alpha_cutoff
            )
        if name == "emission" and "emission_strength" in self.gathered:
            return np.asarray(values * np.float32(emission_strength(material) / self.strength), np.float32)
        return values

    def _framed(self, k: int, given: Input) -> Framed:
        """The directions that a slot's relief is told along, as they were before it was cut."""
        number = given.texture.uv_set if given.texture is not None else 0
        whole = framed(self.slots[k], number)
        return whole.taken(self.charts[k].origin) if self.charts else whole

    def _anew(self, k: int) -> Framed:
        """The directions of the new UVs."""
        return framed(replace(self.cut[k], tangents=None, uvs=(self.charts[k].uv,)), 0)

    @cached_property
    def _finer(self) -> int:
        """Places a side in every texel: several where images have more texels on the faces than are asked
        for.
        """
        more = natural_side(self.slots, self.materials, self.images) / max(self.side, 1)
        most = max(MOST_SIDE // max(self.side, 1), 1)
        return int(min(2 ** int(np.log2(max(more, 1.0))), 4, most))

    @cached_property
    def _places(self) -> tuple[list[tuple[Any, Any, Any]], npt.NDArray[np.bool_]]:
        """For each slot: the places over it, the corners of the face there (K, 3) and weights of these (K,
        3); and which of all places lie over a slot.
        """
        fine = self.side * self._finer
        triangle = np.full((fine, fine), -1, np.int64)
        weights = np.zeros((fine, fine, 3), np.float32)
        first, firsts = 0, []
        for p, c in zip(self.cut, self.charts, strict=True):
            cover(np.ascontiguousarray(c.uv[p.indices] * fine, np.float32), first, triangle, weights)
            firsts.append(first)
            first += len(p.indices)
        flat, flat_weights = triangle.reshape(-1), weights.reshape(-1, 3)
        held = []
        for p, start in zip(self.cut, firsts, strict=True):
            at = np.flatnonzero((flat >= start) & (flat < start + len(p.indices)))
            held.append((at, p.indices[flat[at] - start], flat_weights[at]))
        return held, triangle >= 0

    @cached_property
    def _counted(self) -> tuple[npt.NDArray[Any], Any]:
        """How many places of each texel lie over a slot, (side, side, 1); and for every texel the nearest one
        that has some.
        """
        count = _blocks(self._places[1][..., None], self._finer)
        return count, nearest_inside(count[..., 0] > 0)

    def _over(self, name: str) -> Floats:
        """An input over the new square, (side, side, C): the mean of its places in every texel, borders
        padded outwards; relief along the new UVs.
        """
        held, inside = self._places
        count, nearest = self._counted
        channels = INPUTS[name].channels
        picture = np.zeros((inside.size, channels), np.float32)
        for k, (at, corners, weights) in enumerate(held):
            values = self.value(name, k, corners, weights)
            if name in VECTORS:
                values = along_new(self._anew(k), values, corners, weights)
            picture[at] = values / np.float32(self._beside(name))
        whole = picture.reshape(*inside.shape, channels)
        if self._finer > 1:
            whole = np.asarray(_blocks(whole, self._finer) / np.maximum(count, 1), np.float32)
            if name in VECTORS:
                whole /= np.maximum(np.linalg.norm(whole, axis=-1, keepdims=True), np.float32(1e-6))
        return np.asarray(whole.reshape(-1, channels)[nearest].reshape(whole.shape), np.float32)

    def _mean(self, name: str) -> tuple[float, ...]:
        """The mean of an input over the faces, by their area."""
        total, whole = np.zeros(INPUTS[name].channels), 0.0
        for k, values, _ in self._points(name):
            area = float(
                np.linalg.norm(face_vectors(self.cut[k].positions, self.cut[k].indices), axis=1).sum()
            )
            total, whole = total + area * values.mean(axis=0), whole + area
        return tuple(float(v) for v in (total / whole if whole else np.asarray(INPUTS[name].default)))

    def _points(self, name: str) -> Iterator[tuple[int, Floats, tuple[Any, Any]]]:
        """Points spread over each slot: what an input is to be there, their corners and weights."""
        rng = np.random.default_rng(7)
        for k, p in enumerate(self.cut):
            spread = spread_points(p.positions, p.indices, _POINTS, rng)
            if spread is not None:
                at = p.indices[spread[0]], spread[1]
                yield k, self.value(name, k, *at), at

    def gaps(self, files: Mapping[str, Image]) -> Iterator[tuple[str, Floats]]:
        """By crossing: what its image says less what it was to say, at points spread over the faces, as
        stored."""
        whole = Texture("", wrap=("clamp", "clamp"))
        crossings = (c for id in self.unit.worn for c in self.inner.of(id))
        landed = {(c.material, c.landing.input): c.id for c in crossings if c.landing.input}
        for planned in self.wanted:
            texels = pixels(files[planned.path])
            for channel, one in self._held(planned).items():
                codes = do.extract(texels, channel)
                codes = codes if codes.ndim == 3 else codes[..., None]
                encoded = planned.encoding == "srgb" and codes.shape[2] == 3 and one.input not in VECTORS
                linear = do.decode(codes, "srgb" if encoded else "linear")
                for k, meant, (corners, weights) in self._points(one.input):
                    got = bilinear(linear, blended(self.charts[k].uv, corners, weights), whole)
                    id = landed.get((self.cut[k].material or "", one.input))
                    if id is None:
                        continue
                    if one.input in VECTORS:
                        stored = along_new(self._anew(k), meant, corners, weights)
                        yield id, np.asarray((_green(got * 2 - 1, self.destination) - stored) / 2, np.float32)
                    else:
                        meant = meant / np.float32(self._beside(one.input))
                        yield id, do.stored(got, encoded) - do.stored(meant, encoded)


def _blocks(values: npt.NDArray[Any], side: int) -> npt.NDArray[Any]:
    """Sums over blocks of ``side`` x ``side``, (H / side, W / side, C)."""
    height, width, channels = values.shape
    cut = values.reshape(height // side, side, width // side, side, channels)
    return np.asarray(cut.sum(axis=(1, 3)))


def cut_alike(values: Floats, mode: str, cutoff: float, whole_mode: str, whole_cutoff: float) -> Floats:
    """Opacity of one slot as a material of another see-through shows it alike: what is cut stays cut at the
    other's cut, and becomes open or solid where the other is blended."""
    if mode != "mask" or (whole_mode == "mask" and cutoff == whole_cutoff):
        return values
    if whole_mode == "blend":
        return np.asarray(values >= cutoff, np.float32)
    return np.asarray(np.clip(values - np.float32(cutoff - whole_cutoff), 0, 1), np.float32)


def _green(vectors: Floats, destination: Sheet) -> Floats:
    """Directions with the green that a destination means."""
    green = 1 if destination.conventions.normal_green == "up" else -1
    return vectors * np.asarray([1, green, 1], np.float32)


def _codes(values: Floats, name: str, planned: PlannedImage, destination: Sheet) -> Any:
    if name in VECTORS:
        values = _green(values, destination) * np.float32(0.5) + np.float32(0.5)
    encoding: do.Encoding = planned.encoding if values.shape[2] == 3 and name not in VECTORS else "linear"
    floating = planned.file_depth == do.FLOATING
    codes = do.to_depth(values if floating else do.encode_values(values, encoding), planned.file_depth)
    return codes if codes.shape[2] == 3 else codes[..., 0]
