"""Material inputs on both sides where each part has one material that was drawn of what its slots wore: at
points spread over the faces of each slot.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt

from trasloco.accounts.materials import numbers_told, says_only
from trasloco.accounts.model import Fact
from trasloco.accounts.on_faces import Ends, Worn
from trasloco.accounts.pairing import Pairs
from trasloco.fit.crossings import as_it_lands, has_step, met_by_a_fit
from trasloco.fit.formulas.codes import stored
from trasloco.fit.model import Crossing, Passage, Plan
from trasloco.fit.together.desk import cut_alike
from trasloco.fit.together.frames import framed, on_object
from trasloco.fit.together.units import Unit, units_of
from trasloco.fit.together.ways import Ways, ways_of
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.scene.geometry import face_vectors, spread_points
from trasloco.scene.layers import values_on
from trasloco.scene.model import Input, Material, Primitive, Scene
from trasloco.scene.resolve import emission_strength, input_values
from trasloco.sheets.model import Sheet

_POINTS = 1024
_NUMBER, _MEAN = 2e-5, 0.03
"""Numbers that are the same; what spreading points leaves of a mean."""
Values = npt.NDArray[np.float32]
T = TypeVar("T")


def together_facts(
    ends: Ends, plan: Plan, destination: Sheet, pairs: Pairs, promises: dict[Any, Passage]
) -> Iterator[Fact]:
    """One fact a crossing and one each for name, sides and see-through of a material; then whatever arrived
    that no crossing brought.
    """
    assert plan.between is not None
    reference, arrival = ends.reference, ends.arrival
    look = _Look(ends, plan, destination)
    units = {unit.mesh: unit for unit in units_of(reference, destination)}
    held = list(units.values())
    wanted = ways_of(held, reference, destination, plan.between.alpha, plan.crossings)
    wearing = _grouped((id, unit) for unit in held for id in unit.worn)
    for material in reference.materials.values():
        for crossing in plan.of(material.id):
            promises["input", material.id, crossing.name] = Passage(
                "input", material.id, crossing.name, crossing.mark, crossing.reason
            )
            yield look.at(material, crossing)
        yield from _ways(material, wearing.get(material.id, []), look, wanted)
    expected: set[str] = set()
    for unit in units.values():
        for came in look.arrived(unit):
            if came.id in expected:
                continue
            expected.add(came.id)
            yield from _strangers(unit, came, plan, reference, arrival)
    for id, other in arrival.materials.items():
        if id not in expected:
            yield Fact("material", id, "sides", other.name, "not there", "a material", False)


def _strangers(unit: Unit, came: Material, plan: Plan, reference: Scene, arrival: Scene) -> Iterator[Fact]:
    landed = {c.landing.input for id in unit.worn for c in plan.of(id)}
    for name, given in came.inputs.items():
        spec = INPUTS[name]
        quiet = name in landed or (name == "opacity" and came.alpha_mode == "opaque")
        if quiet or (name == "emission_strength" and "emission" in landed):
            continue
        if not says_only(name, given, arrival, spec.default):
            label = f"{came.name}: {spec.label.lower()}"
            told = numbers_told(spec.default), numbers_told(given.factor)
            first = next(iter(unit.worn), unit.material)
            yield Fact("input", first, name, label, *told, False)


def _ways(material: Material, units: list[Unit], look: _Look, wanted: dict[str, Ways]) -> Iterator[Fact]:
    arrived = [(unit, came) for unit in units for came in look.arrived(unit)]
    names = ", ".join(dict.fromkeys(came.name for _, came in arrived)) or "nowhere"
    named = bool(arrived) or not units
    yield Fact(
        "material",
        material.id,
        "name",
        material.name,
        material.name,
        names,
        False,
        gone=not arrived,
        kept=named,
    )

    def fact(aspect: str, mine: Any, theirs: Any, told: Any) -> Fact:
        same = all(theirs(came) == mine for _, came in arrived)
        kept = all(theirs(came) == told(wanted[unit.mesh]) for unit, came in arrived)
        said = ", ".join(dict.fromkeys(str(theirs(came)) for _, came in arrived))
        return Fact("material", material.id, aspect, material.name, str(mine), said, same and kept, kept=kept)

    def cut(mode: str, at: float) -> tuple[str, float]:
        return mode, round(at, 4) if mode == "mask" else 0.5

    both = material.double_sided or material.back is not None
    yield fact("sides", both, lambda came: came.double_sided, lambda ways: ways.double_sided)
    yield fact(
        "see-through",
        cut(material.alpha_mode, material.alpha_cutoff),
        lambda came: cut(came.alpha_mode, came.alpha_cutoff),
        lambda ways: cut(ways.alpha_mode, ways.alpha_cutoff),
    )
    if material.unlit:
        yield Fact(
            "material", material.id, "without light", material.name, "without light", "lit", False, gone=True
        )
    for key, aspect in (("extras", "properties"), ("extensions", "extensions")):
        if material.payload.get(key):
            yield Fact("material", material.id, aspect, material.name, aspect, "none", False, gone=True)


@dataclass(frozen=True)
class _Look:
    ends: Ends
    plan: Plan
    destination: Sheet

    @cached_property
    def _by_mesh(self) -> dict[str, list[Worn]]:
        return _grouped((worn.mesh, worn) for worn in self.ends.worn)

    @cached_property
    def _by_material(self) -> dict[str, list[Worn]]:
        return _grouped((worn.primitive.material or "", worn) for worn in self.ends.worn)

    def arrived(self, unit: Unit) -> list[Material]:
        """The materials that arrive on the parts of a unit."""
        found = {}
        for worn in self._by_mesh.get(unit.mesh, []):
            came = self.ends.came(worn)
            other = self.ends.arrival.materials.get(came.material or "") if came is not None else None
            if other is not None:
                found[other.id] = other
        return list(found.values())

    def at(self, material: Material, crossing: Crossing) -> Fact:
        """What a crossing's input is on the faces that wear the material, and what the part's one material
        says there.
        """
        glow = next((c for c in self.plan.of(material.id) if c.name == "emission"), None)
        travels = crossing.name == "emission_strength" and crossing.mark not in ("lost", "blocked")
        if travels and glow is not None and glow.landing.input:  # they mean something as a product only
            fact = self.at(material, glow)
            label = f"{material.name}: {crossing.label.lower()}"
            same = fact.same and crossing.mark == "exact"
            return replace(fact, aspect=crossing.name, name=label, same=same, kept=fact.kept or fact.same)
        landing = crossing.landing
        lost = crossing.mark in ("lost", "blocked") or not landing.input
        spec = INPUTS[landing.input or crossing.name]
        gaps: list[Values] = []
        there_is = True
        said: dict[str, None] = {}
        rng = np.random.default_rng(11)
        for worn in self._by_material.get(material.id, []):
            came = self.ends.came(worn)
            if came is None:
                continue
            other = self.ends.arrival.materials.get(came.material or "", Material("", ""))
            got = other.inputs.get(spec.name, Input(spec.default))
            said[_told(got)] = None
            there_is = there_is and spec.name in other.inputs
            spread = spread_points(worn.primitive.positions, worn.primitive.indices, _POINTS, rng)
            if spread is None:
                continue
            faces, weights = spread
            there = self._there(spec.name, other, came, came.indices[faces + worn.first], weights)
            here = (
                self._silent(spec.name, there, came, came.indices[faces + worn.first], weights)
                if lost
                else self._here(
                    material, crossing, worn.primitive, other, worn.primitive.indices[faces], weights
                )
            )
            if not np.isfinite(here).all() or not np.isfinite(there).all():
                same = np.array_equal(np.isfinite(here), np.isfinite(there))
                gaps.append(np.zeros(1, np.float32) if same else np.ones(1, np.float32))
                continue
            size = 2.0 if spec.name in VECTORS else 1.0  # as they are stored
            if spec.measure:
                size = max(1.0, float(np.abs(here).max()))
            elif spec.name == "emission":
                size = max(1.0, emission_strength(other) * max(got.factor))
            gaps.append(stored(here / size, spec.color) - stored(there / size, spec.color))
        apart = float(np.sqrt(np.mean(np.concatenate([g.reshape(-1) for g in gaps]) ** 2))) if gaps else 0.0
        label = f"{material.name}: {crossing.label.lower()}"
        meant, came_as = _told(crossing.given), ", ".join(said) or "not there"
        if lost:
            gone = apart <= 2 / 255
            if crossing.mark in ("exact", "close"):  # said together with another input, or met by a fit
                kept = gone or not met_by_a_fit(crossing)
                same = crossing.mark == "exact"
                return Fact("input", material.id, crossing.name, label, meant, came_as, same, kept=kept)
            return Fact("input", material.id, crossing.name, label, meant, came_as, False, gone=gone)
        drawn = has_step(crossing, "together")
        if drawn and not landing.image:
            kept = self._is_the_mean(material, spec.name)
            return Fact("input", material.id, crossing.name, label, meant, came_as, False, kept=kept)
        kept = apart <= 1.5 * (crossing.rms or 0.0) + (2.5 / 255 if drawn else 1e-4)
        # What several inputs became together cannot be looked at one by one; that it is there can.
        merged = has_step(crossing, "metal", "occlude") or (
            crossing.name == "ior" and landing.input != crossing.name
        )
        changed = has_step(crossing, "see_through", "fit") or landing.input != crossing.name
        return Fact(
            "input",
            material.id,
            crossing.name,
            label,
            meant,
            came_as,
            not (merged or changed) and apart <= (2 / 255 if drawn else _NUMBER),
            kept=kept or (merged and there_is),
        )

    def _is_the_mean(self, material: Material, name: str) -> bool:
        """Whether every part that wears a material says one number for an input, the mean over its faces."""
        for worn in self._by_material.get(material.id, []):
            came = self.ends.came(worn)
            other = self.ends.arrival.materials.get(came.material or "") if came is not None else None
            got = other.inputs.get(name) if other is not None else None
            if other is None or got is None or got.texture is not None:
                return False
            if not np.allclose(got.factor, self._mean(worn, other, name), rtol=_MEAN, atol=_MEAN):
                return False
        return True

    def _mean(self, one: Worn, other: Material, name: str) -> Values:
        """The mean of an input over the faces of a part, by their area; of an image that is a number there, the
        mean of its texels.
        """
        total, whole = np.zeros(INPUTS[name].channels, np.float32), 0.0
        rng = np.random.default_rng(11)
        for worn in self._by_mesh[one.mesh]:
            p = worn.primitive
            spread = spread_points(p.positions, p.indices, _POINTS, rng)
            if worn.wearer != one.wearer or spread is None:
                continue
            material = self.ends.reference.materials.get(p.material or "", Material("", ""))
            crossing = self._landing_on(material, name)
            corners = p.indices[spread[0]]
            if crossing is None:
                values = np.asarray(INPUTS[name].default, np.float32)[None]
            elif crossing.name != name and crossing.given.texture is None:
                values = np.asarray(crossing.landing.value, np.float32)[
                    None
                ]  # said in other terms by the plan
            elif any(step.settings.get("mean") for step in crossing.steps if step.kind == "value"):
                values = self._texels(material, crossing)
            else:
                values = self._here(material, crossing, p, other, corners, spread[1])
            area = float(np.linalg.norm(face_vectors(p.positions, p.indices), axis=1).sum())
            total, whole = total + area * values.mean(axis=0), whole + area
        return np.asarray(total / whole if whole else INPUTS[name].default, np.float32)

    def _landing_on(self, material: Material, name: str) -> Crossing | None:
        """What lands on an input by itself, before materials are drawn together."""
        assert self.plan.between is not None
        return next((c for c in self.plan.between.of(material.id) if c.landing.input == name), None)

    def _texels(self, material: Material, crossing: Crossing) -> Values:
        """All texels of an input, (N, C)."""
        given = material.inputs[crossing.name]
        image = self.ends.reference.images[given.texture.image] if given.texture is not None else None
        values = as_it_lands(crossing, input_values(crossing.name, given, image))
        return np.asarray(values, np.float32).reshape(-1, values.shape[-1])

    @staticmethod
    def _silent(name: str, there: Values, came: Primitive, corners: Any, weights: Any) -> Values:
        """What an input says that says nothing."""
        nothing = Input(INPUTS[name].default)
        if name in VECTORS:
            return on_object(_frames(came, nothing), name, nothing, came, {}, corners, weights)
        return np.broadcast_to(np.asarray(nothing.factor, np.float32), there.shape)

    def _there(self, name: str, other: Material, came: Primitive, corners: Any, weights: Any) -> Values:
        images = self.ends.arrival.images
        got = other.inputs.get(name, Input(INPUTS[name].default))
        if name in VECTORS:
            return on_object(_frames(came, got), name, got, came, images, corners, weights)
        values = values_on(name, got, came, images, corners, weights)
        return values * np.float32(emission_strength(other)) if name == "emission" else values

    def _here(
        self,
        material: Material,
        crossing: Crossing,
        p: Primitive,
        other: Material,
        corners: Any,
        weights: Any,
    ) -> Values:
        """What the reference says there, as the one material has to say it."""
        assert self.plan.between is not None
        images = self.ends.reference.images
        given = material.inputs.get(crossing.name, Input(INPUTS[crossing.name].default))
        if crossing.landing.input in VECTORS:
            return on_object(_frames(p, given), crossing.name, given, p, images, corners, weights)
        values = np.asarray(
            as_it_lands(crossing, values_on(crossing.name, given, p, images, corners, weights))
        )
        if crossing.name == "emission":
            return values * np.float32(emission_strength(material) if self._with_strength(crossing) else 1)
        if crossing.landing.input == "opacity":
            mode = self.plan.between.alpha.get(material.id, "opaque")
            cuts = (step.settings["cutoff"] for step in crossing.steps if step.kind == "cut")
            cutoff = float(next(cuts, material.alpha_cutoff))
            return cut_alike(values, mode, cutoff, other.alpha_mode, other.alpha_cutoff)
        return values

    def _with_strength(self, glow: Crossing) -> bool:
        """Whether the strength of what glows travels, by itself or within its number or image."""
        within = any(step.settings.get("with_strength") for step in glow.steps)
        others = self.plan.of(glow.material)
        return within or any(c.name == "emission_strength" and c.landing.input for c in others)


def _grouped(pairs: Iterable[tuple[str, T]]) -> dict[str, list[T]]:
    found: dict[str, list[T]] = {}
    for key, one in pairs:
        found.setdefault(key, []).append(one)
    return found


def _frames(p: Primitive, given: Input) -> Any:
    return framed(p, given.texture.uv_set if given.texture is not None else 0)


def _told(given: Input) -> str:
    return numbers_told(given.factor) if given.texture is None else f"an image × {numbers_told(given.factor)}"
