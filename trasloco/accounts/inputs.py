"""Material inputs on both sides: texel by texel where images lie alike, at points spread over the faces where
they were drawn anew.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.accounts.materials import numbers_told, says_only, strangers_in, ways_of
from trasloco.accounts.model import Fact
from trasloco.accounts.on_faces import Ends, Worn, on_faces
from trasloco.accounts.one_piece import one_piece
from trasloco.accounts.pairing import Pairs
from trasloco.accounts.standing import expected_slots
from trasloco.accounts.together import together_facts
from trasloco.fit.crossings import as_it_lands, baked, flattened_here, has_step, met_by_a_fit, strength_beside
from trasloco.fit.formulas.codes import stored
from trasloco.fit.formulas.resampling import resample
from trasloco.fit.model import Crossing, Passage, Plan, PlannedImage
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.keeping import with_keeper
from trasloco.processors import processors
from trasloco.scene.color import fresnel_zero
from trasloco.scene.images import Image
from trasloco.scene.joining import slots_within
from trasloco.scene.layers import flat_size, flattened, lie_alike, placement_of
from trasloco.scene.model import Input, Material, Scene
from trasloco.scene.passes import apart
from trasloco.scene.resolve import emission_in_one, input_values
from trasloco.sheets.model import Sheet

Values = npt.NDArray[np.float32]
_EXACT, _DITHERED, _VECTOR = 0.51, 1.01, 1.55
"""Codes of the delivered depth: rounding, dithering, and rounding of three channels at once."""
_NUMBER = 2e-5
_EMISSION = frozenset({"emission", "emission_strength"})
"""Inputs that only mean something as a product."""


def input_facts(
    reference: Scene,
    arrival: Scene,
    plan: Plan,
    destination: Sheet,
    pairs: Pairs,
    promises: dict[Any, Passage],
) -> Iterator[Fact]:
    """One fact a crossing, then whatever arrived that no crossing brought; sides, see-through and words of
    each material.
    """
    piece = one_piece(reference, arrival, destination)
    worn = [
        Worn(slot, number, first, pairs.nodes.get(node.id, ""), mesh.id)
        if piece is None
        else Worn(slot, 0, piece.first[node.id] + first, piece.node.id, mesh.id)
        for node, mesh in expected_slots(reference, destination)
        for slot, number, first in slots_within(mesh.primitives, destination.structure.slots)
    ]
    repeated = destination.materials.wraps == "repeat"
    ends = Ends(reference, arrival, worn, destination.structure.uv_sets == "one", repeated)
    if plan.between is not None:
        yield from together_facts(ends, plan, destination, pairs, promises)
        return
    others = {id: arrival.materials.get(pairs.materials.get(id, "")) for id in reference.materials}
    told = _looked_at(ends, plan, others)
    for material in reference.materials.values():
        other = others[material.id]
        if other is None:
            yield Fact(
                "material", material.id, "sides", material.name, "a material", "not there", False, gone=True
            )
            continue
        crossings = plan.of(material.id)
        landed = {c.landing.input for c in crossings}
        for crossing in crossings:
            promises[("input", material.id, crossing.name)] = Passage(
                "input", material.id, crossing.name, crossing.mark, crossing.reason
            )
            yield told[crossing.id]
        yield from strangers_in(material, other, landed, {c.name for c in crossings}, arrival)
        yield from ways_of(material, other, promises)
    for id in pairs.new_materials:
        yield Fact("material", id, "sides", arrival.materials[id].name, "not there", "a material", False)


def _looked_at(ends: Ends, plan: Plan, others: Mapping[str, Material | None]) -> dict[str, Fact]:
    """What each crossing came to, by its id; as many at a time as there are processors."""
    images = {image.path: image for image in plan.images}
    looks: dict[str, _Look] = {}
    for material in ends.reference.materials.values():
        crossings, other = plan.of(material.id), others[material.id]
        if other is None:
            continue
        landed = {c.landing.input for c in crossings}
        for one in crossings:
            looks[one.id] = _Look(ends, material, other, one, images.get(one.landing.image), landed)
    with ThreadPoolExecutor(processors(), thread_name_prefix="accounts") as pool:
        return dict(zip(looks, pool.map(with_keeper(_Look.fact), looks.values()), strict=True))


class _Look:
    """One crossing, looked at from its two ends."""

    def __init__(
        self,
        ends: Ends,
        material: Material,
        other: Material,
        crossing: Crossing,
        planned: PlannedImage | None,
        landed: set[str],
    ) -> None:
        self.ends = ends
        self.reference, self.arrival, self.material, self.other = (
            ends.reference,
            ends.arrival,
            material,
            other,
        )
        self.crossing, self.planned, self.landed = crossing, planned, landed
        self.meant = material.inputs.get(crossing.name, Input(INPUTS[crossing.name].default))

    def fact(self) -> Fact:
        crossing = self.crossing
        if crossing.mark in ("lost", "blocked") or not crossing.landing.input:
            return self._left_behind()
        got = self.other.inputs.get(crossing.landing.input, Input(INPUTS[crossing.landing.input].default))
        if has_step(crossing, "metal", "occlude"):
            return self._told(got, False, self._landed_as_told(got))
        if baked(crossing) or has_step(crossing, "points"):
            apart = on_faces(self.ends, self.material, self.crossing, got)
            return self._told(got, apart <= 2 / 255, apart <= 2.5 * (crossing.rms or 0.0) + 4 / 255)
        if crossing.landing.input != crossing.name and crossing.name == "ior":
            same = abs(self._reflected(self.material) - self._reflected(self.other)) < 1e-5
            return self._told(got, same, self._landed_as_told(got))
        if (glow := self._glow()) is not None:
            return glow
        if got.texture is None and self.meant.texture is None and not self.meant.layers:
            return self._as_numbers(got)
        return self._texels(got)

    def _told(self, got: Input, same: bool, kept: bool, more: str = "") -> Fact:
        name = self.crossing.name
        label = f"{self.material.name}: {self.crossing.label.lower()}"
        return Fact(
            "input",
            self.material.id,
            name,
            label,
            self._said(self.meant, self.reference),
            self._said(got, self.arrival) + more,
            same and not has_step(self.crossing, "fit"),
            kept=kept,
        )

    @staticmethod
    def _said(given: Input, scene: Scene) -> str:
        if given.texture is None:
            return numbers_told(given.factor)
        image = scene.images.get(given.texture.image)
        size = f" {image.width} × {image.height}" if image is not None and image.usable else " missing"
        beside = (
            f" × {numbers_told(given.factor)}"
            if any(f != 1 for f in given.factor) and len(set(given.factor) - {0.0, 1.0})
            else ""
        )
        return f"{image.name if image is not None else given.texture.image}{size} {given.texture.channels.upper()}{beside}"

    def _left_behind(self) -> Fact:
        """Told to stay behind: then nothing may say it there, unless another crossing lands on it."""
        name = self.crossing.name
        there = self.other.inputs.get(name)
        quiet = (
            there is None or name in self.landed or (name == "opacity" and self.other.alpha_mode == "opaque")
        )
        spec = INPUTS[name]
        gone = quiet or (there is not None and says_only(name, there, self.arrival, spec.default))
        if self.crossing.mark in ("exact", "close"):
            # Said together with another input: looked at there.
            together = self._reflected(self.material), self._reflected(self.other)
            same = abs(together[0] - together[1]) < 1e-5 if name in ("specular", "ior") else True
            kept = self.crossing.mark == "close" and (bool(gone) or not met_by_a_fit(self.crossing))
            return self._told(Input(spec.default), same and self.crossing.mark == "exact", kept)
        label = f"{self.material.name}: {self.crossing.label.lower()}"
        told = self._said(there, self.arrival) if there is not None and not quiet else "not there"
        return Fact(
            "input",
            self.material.id,
            name,
            label,
            self._said(self.meant, self.reference),
            told,
            False,
            gone=bool(gone),
        )

    @staticmethod
    def _reflected(material: Material) -> float:
        """Reflectance straight ahead by index and specular weight, constants only."""
        index, weight = (
            material.inputs.get("ior", Input((1.5,))),
            material.inputs.get("specular", Input((1.0,))),
        )
        return float(fresnel_zero(index.factor[0]) * weight.factor[0])

    def _landed_as_told(self, got: Input) -> bool:
        """Whether a number or an image of the planned size is where it was to land."""
        landing = self.crossing.landing
        if not landing.image:
            return got.texture is None and (
                not landing.value or bool(np.allclose(got.factor, landing.value, rtol=1e-4, atol=1e-5))
            )
        image = self._image(got, self.arrival)
        sized = (
            image is not None
            and self.planned is not None
            and (image.width, image.height) == (self.planned.width, self.planned.height)
        )
        return bool(sized and got.texture is not None and got.texture.channels == landing.channel)

    @staticmethod
    def _image(given: Input, scene: Scene) -> Image | None:
        return scene.images.get(given.texture.image) if given.texture is not None else None

    def _as_numbers(self, got: Input) -> Fact:
        """A number that stays one. Emission and its strength count as their product."""
        meant, there = np.array(self.meant.factor), np.array(got.factor)
        if has_step(self.crossing, "see_through"):
            meant = 1 - meant
        if self.crossing.name in _EMISSION and self._with_strength():
            meant, there = (np.array(emission_in_one(m)) for m in (self.material, self.other))
        same = bool(np.allclose(meant, there, rtol=_NUMBER, atol=_NUMBER)) or (
            not np.isfinite(meant).all() and not np.isfinite(there).all()
        )
        promised = self.crossing.landing.value
        kept = (
            bool(promised)
            and len(promised) == len(got.factor)
            and bool(np.allclose(promised, got.factor, rtol=1e-4, atol=1e-5))
        )
        same = same and not has_step(self.crossing, "see_through")
        return self._told(got, same, kept)

    def _with_strength(self) -> bool:
        """Whether the strength of emission travels, by itself or within its number; else it is told as lost,
        and the colour counts alone.
        """
        told = self.material.inputs.get("emission_strength", Input((1.0,))).factor != (1.0,)
        within = any(step.settings.get("with_strength") for step in self.crossing.steps)
        return not told or within or "emission_strength" in self.landed

    def _glow(self) -> Fact | None:
        """The strength of emission that has an image: a tint may have gone into the image or the strength, so
        their mean product counts.
        """
        if self.crossing.name != "emission_strength":
            return None
        means, pictured = [], False
        for material, scene in ((self.material, self.reference), (self.other, self.arrival)):
            given = material.inputs.get("emission", Input((0.0, 0.0, 0.0)))
            image = self._image(given, scene)
            if given.texture is not None and (image is None or not image.usable):
                return None
            pictured = pictured or image is not None
            means.append(self._values("emission", given, material, scene).mean(axis=(0, 1)))
        if not pictured:
            return None
        got = self.other.inputs.get("emission_strength", Input((1.0,)))
        codes = 1.5 / 255 * max(self.meant.factor[0], got.factor[0], 1.0)
        same = bool(np.abs(means[0] - means[1]).max() <= codes)
        return self._told(got, same, same)

    def _values(self, name: str, given: Input, of: Material, scene: Scene) -> Values:
        """All of an input, (H, W, C); emission with its strength, where that travels."""
        values = input_values(name, given, self._image(given, scene))
        if name == "emission" and self._with_strength():
            values = values * np.float32(of.inputs.get("emission_strength", Input((1.0,))).factor[0])
        return values

    def _texels(self, got: Input) -> Fact:
        crossing, landing = self.crossing, self.crossing.landing
        image, given = self._image(got, self.arrival), self._image(self.meant, self.reference)
        if got.texture is not None and (image is None or not image.usable):
            return self._told(got, False, False, ", unreadable")
        mean = any(step.settings.get("mean") for step in crossing.steps)
        wanted = self._wanted()
        if wanted is None:
            return self._told(got, False, False)
        if mean:
            middle = wanted.reshape(-1, wanted.shape[-1]).mean(axis=0)
            near = got.texture is None and bool(np.allclose(middle, got.factor, rtol=1e-3, atol=1e-4))
            return self._told(got, False, near)
        there = self._values(landing.input, got, self.other, self.arrival)
        placed = got.texture is None or self._lies_alike(got)
        error, rms, resized = self._apart(wanted, there, got)
        depth = image.depth if image is not None else 8
        fewer = (
            given is not None
            and got.texture is not None
            and image is not None
            and given.bits > image.bits
            and crossing.name != "height"
        )
        limit = _VECTOR if landing.input in VECTORS else _EXACT
        same = placed and not resized and error <= limit and not fewer and crossing.name == landing.input
        code = 1 / (2 ** min(depth, 16) - 1)
        kept = (
            placed
            and rms <= (crossing.rms if crossing.rms is not None else _DITHERED * code) * 1.1 + 1.5 * code
        )
        more = "" if placed else ", lying elsewhere"
        return self._told(got, same, kept, more)

    def _wanted(self) -> Values | None:
        """What the reference says, in terms of what the crossing lands on."""
        crossing, given = self.crossing, self.meant
        image = self._image(given, self.reference)
        if given.layers and flattened_here(crossing) and lie_alike(given):
            size = flat_size(given, self.reference.images)
            return np.asarray(
                as_it_lands(crossing, flattened(crossing.name, given, self.reference.images, *size)),
                np.float32,
            )
        if given.texture is not None and (image is None or not image.usable):
            return None
        return np.asarray(
            as_it_lands(crossing, self._values(crossing.name, given, self.material, self.reference)),
            np.float32,
        )

    def _lies_alike(self, got: Input) -> bool:
        meant = self.crossing.given.texture if self.meant.texture is None else self.meant.texture
        if meant is None or got.texture is None:
            return True  # a number filled into an image lies everywhere
        if abs(got.texture.strength - strength_beside(self.crossing)) > 1e-4:
            return False
        first, second = placement_of(meant), placement_of(got.texture)
        numbers = zip(
            np.hstack([np.ravel(np.array(v, float)) for v in first[1:4]]),
            np.hstack([np.ravel(np.array(v, float)) for v in second[1:4]]),
        )
        return (
            second[0] == (0 if self.ends.one_set else first[0])
            and second[4] == (("repeat", "repeat") if self.ends.repeated else first[4])
            and all(abs(a - b) < 1e-4 * max(1.0, abs(a)) for a, b in numbers)
        )

    def _apart(self, wanted: Values, there: Values, got: Input) -> tuple[float, float, bool]:
        """The largest difference in codes and the root mean square of values as they are stored; whether
        sizes differ.
        """
        vectors = self.crossing.landing.input in VECTORS
        if not vectors:
            beside = np.maximum(self._scale(got), 1e-12)
            wanted, there = np.asarray(wanted / beside, np.float32), np.asarray(there / beside, np.float32)
        resized = (
            wanted.shape[:2] != there.shape[:2] and wanted.shape[:2] != (1, 1) and there.shape[:2] != (1, 1)
        )
        if resized:
            low, high = float(wanted.min()), float(wanted.max())
            wanted = np.clip(resample(wanted, there.shape[1], there.shape[0]), min(low, 0.0), max(high, 1.0))
            wanted = wanted if wanted.ndim == 3 else wanted[..., None]
        depth = self.planned.depth if self.planned is not None else 8
        top = 2.0**depth - 1
        if vectors:  # their differences count as they are stored
            a, b, scale = wanted, there, 0.5
        else:
            encoded = self.planned is not None and self.planned.encoding == "srgb" and wanted.shape[-1] == 3
            a, b, scale = stored(wanted, encoded), stored(there, encoded), 1.0
        if has_step(self.crossing, "pad"):
            a, b = np.broadcast_arrays(a, b)
            shown = self._seen(a.shape[:2])[..., None]
            a, b = a * shown, b * shown
        largest, rms = apart(a, b, scale)
        return largest * top, rms, resized

    def _scale(self, got: Input) -> Values:
        """What stands beside the arrival's image, so that differences count in its texels."""
        factor = (
            np.array(got.factor, np.float32)
            if got.texture is not None
            else np.ones(len(got.factor), np.float32)
        )
        if self.crossing.landing.input == "emission":
            factor = factor * np.float32(self.other.inputs.get("emission_strength", Input((1.0,))).factor[0])
        return np.where(factor > 0, factor, 1)

    def _seen(self, shape: tuple[int, ...]) -> Any:
        """Texels that the reference does not cut away entirely."""
        opacity = self.material.inputs.get("opacity")
        if opacity is None:
            return np.ones(shape, np.float32)
        alpha = self._values("opacity", opacity, self.material, self.reference)[..., 0]
        alpha = alpha if alpha.shape in (shape, (1, 1)) else resample(alpha, shape[1], shape[0])
        return np.broadcast_to((alpha > 1 / 255).astype(np.float32), shape)
