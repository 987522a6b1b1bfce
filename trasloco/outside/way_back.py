"""A package that was changed at its destination and came back: what is different, and what of it can be
decided at the source, by the inverse of the steps it went through.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from trasloco.accounts.meshes import corners
from trasloco.accounts.pairing import Pairs, as_named, paired
from trasloco.fit.crossings import strength_beside
from trasloco.fit.lights import travelling_lamps
from trasloco.fit.model import Crossing, Plan
from trasloco.fit.tree import left_behind, names_there
from trasloco.inputs.table import INPUTS
from trasloco.outside.came import Came
from trasloco.outside.images_back import image_back
from trasloco.outside.inverse import number_before, placing_of
from trasloco.outside.only_told import laid_otherwise, only_told, other_lamp
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.lit import Light
from trasloco.scene.model import Decision, Input, Material, Mesh, Node, Scene
from trasloco.scene.resolve import input_values
from trasloco.sheets.model import Sheet

_SAME = 2e-4
"""Relative, or of one: what single precision and text leave of a number."""
_PLACE = 1e-4
_CODES = 1.6
"""Of eight bits: what rounding a number into an image can leave."""


def way_back(
    reference: Scene,
    plan: Plan,
    sent: Scene,
    returned: Scene,
    destination: Sheet,
    placed: Collection[str] = (),
) -> list[Came]:
    """What came back otherwise than it was ``sent``, both as the destination's understudy reads them.

    ``placed`` are things that were placed by hand at the source already.
    """
    behind = left_behind(reference, destination, travelling_lamps(reference, plan.lights))
    there = paired(
        as_named(reference, names_there(reference, destination, behind), destination), sent, behind
    )
    back = paired(sent, returned)
    look = _Look(reference, plan, sent, returned, there, back, frozenset(placed))
    return [*look.parts(), *look.lamps(), *look.materials(), *only_told(sent, returned, back)]


@dataclass(frozen=True)
class _Look:
    reference: Scene
    plan: Plan
    sent: Scene
    returned: Scene
    there: Pairs
    back: Pairs
    placed: frozenset[str]

    def parts(self) -> Iterator[Came]:
        """What is gone, new, moved or has other points."""
        moved = {id for id in self.there.nodes if self._moved(id)}
        for id, node in self.reference.nodes.items():
            sent = self.sent.nodes.get(self.there.nodes.get(id, ""))
            if sent is None:
                continue
            other = self.returned.nodes.get(self.back.nodes.get(sent.id, ""))
            if other is None:
                if node.mesh is not None:
                    stays = (Decision(id, "include", False),)
                    yield Came("part", id, node.name, "the part", "there", "gone", stays)
                continue
            if id in moved and not node.light:
                yield self._place(node, moved)
            yield from self._points(node, sent, other)
        for id in self.back.new_nodes:
            if self.returned.nodes[id].mesh is not None:
                name = self.returned.nodes[id].name
                why = "It was made there. Bring its model in as a file of the next revision."
                yield Came("part", "", name, "the part", "not there", "there", (), why)

    def _moved(self, id: str) -> bool:
        sent = self.sent.nodes[self.there.nodes[id]]
        other = self.returned.nodes.get(self.back.nodes.get(sent.id, ""))
        if other is None:
            return False
        size = max(1.0, float(np.abs(sent.matrix).max()))
        return bool(np.abs(sent.matrix - other.matrix).max() > _PLACE * size)

    def _place(self, node: Node, moved: set[str]) -> Came:
        before, after = (
            scene.world_matrices()[id]
            for scene, id in (
                (self.sent, self.there.nodes[node.id]),
                (self.returned, self.back.nodes[self.there.nodes[node.id]]),
            )
        )
        words = [" ".join(f"{v:.4g}" for v in m[:3, 3]) for m in (before, after)]
        above, held = node.parent, False
        while above is not None and not held:
            held, above = above in moved, self.reference.nodes[above].parent
        if held or node.id in self.placed:
            why = (
                "What holds it was moved as well."
                if held
                else "It was placed by hand already: place it again."
            )
            return Came("part", node.id, node.name, "its place", words[0], words[1], (), why)
        placing = placing_of(self.reference, node.id, before, after)
        if placing is None:
            why = "It was stretched or skewed, or has no points to be placed by."
            return Came("part", node.id, node.name, "its place", words[0], words[1], (), why)
        return Came(
            "part",
            node.id,
            node.name,
            "its place",
            words[0],
            words[1],
            (Decision(node.id, "place", placing),),
        )

    def _points(self, node: Node, sent: Node, other: Node) -> Iterator[Came]:
        first, second = self.sent.meshes.get(sent.mesh or ""), self.returned.meshes.get(other.mesh or "")
        if first is None or (second is not None and _same_points(first, second)):
            return
        faces = [
            str(sum(len(p.indices) for p in m.primitives)) + " faces" if m else "none"
            for m in (first, second)
        ]
        why = "Points are the source's: bring the changed model in as a file of the next revision."
        yield Came("part", node.id, node.name, "its points", faces[0], faces[1], (), why)

    def lamps(self) -> Iterator[Came]:
        """Strength, colour, cone and place of lamps."""
        for node in self.reference.nodes.values():
            light = self.reference.lights.get(node.light or "")
            sent = self.sent.nodes.get(self.there.nodes.get(node.id, ""))
            if light is None or sent is None:
                continue
            other = self.returned.nodes.get(self.back.nodes.get(sent.id, ""))
            was, now = (
                scene.lights.get(held.light or "") if held is not None else None
                for scene, held in ((self.sent, sent), (self.returned, other))
            )
            if was is None:
                continue
            if now is None:
                off = (Decision(light.id, "enabled", False),)
                yield Came("lamp", light.id, light.name, "the lamp", "there", "gone", off)
                continue
            yield from _lamp(light, was, now)
            if another := other_lamp(was, now):
                why = "Set kind and size in Light."
                yield Came("lamp", light.id, light.name, "kind and size", "as sent", another, (), why)
            if was.shadows != now.shadows:
                told = ["with" if one.shadows else "without" for one in (was, now)]
                throws = (Decision(light.id, "shadows", now.shadows),)
                yield Came("lamp", light.id, light.name, "shadows", told[0], told[1], throws)
            if other is not None and self._moved(node.id):
                place = self.returned.world_matrices()[other.id]
                words = [" ".join(f"{v:.4g}" for v in m[:3, 3]) for m in (sent.matrix, place)]
                value = [float(v) for v in place.reshape(-1)]
                put = (Decision(light.id, "lamp_place", value),)
                yield Came("lamp", light.id, light.name, "its place", words[0], words[1], put)

    def materials(self) -> Iterator[Came]:
        for id, material in self.reference.materials.items():
            sent = self.sent.materials.get(self.there.materials.get(id, ""))
            other = self.returned.materials.get(self.back.materials.get(sent.id, "")) if sent else None
            if sent is None or other is None:
                continue
            for crossing in self.plan.of(id):
                if crossing.landing.input and crossing.mark not in ("lost", "blocked"):
                    yield from self._input(material, crossing, sent, other)
            if sent.double_sided != other.double_sided:
                words = ["both" if m.double_sided else "one" for m in (sent, other)]
                sides = (Decision(id, "double_sided", other.double_sided),)
                yield Came("material", id, material.name, "sides", words[0], words[1], sides)
            cuts = sent.alpha_cutoff, other.alpha_cutoff
            if other.alpha_mode == "mask" and not _near((cuts[0],), (cuts[1],)):
                level = (Decision(id, "alpha_cutoff", float(cuts[1])),)
                yield Came("material", id, material.name, "cut", f"{cuts[0]:.3g}", f"{cuts[1]:.3g}", level)
            if sent.alpha_mode != other.alpha_mode:
                mode = (Decision(id, "alpha_mode", other.alpha_mode),)
                yield Came(
                    "material", id, material.name, "see-through", sent.alpha_mode, other.alpha_mode, mode
                )

    def _lying(self, material: Material, crossing: Crossing, was: Input, now: Input) -> Iterator[Came]:
        """How an image lies, and how strong relief and occlusion are."""
        label = crossing.label.lower()
        if laid_otherwise(was.texture, now.texture):
            why = "Where it lies is set by UVs and placement at the source."
            yield Came("image", material.id, material.name, label, "as it lay", "lying elsewhere", (), why)
        strengths = [t.strength if t is not None else 1.0 for t in (was.texture, now.texture)]
        if was.texture is None or now.texture is None or _near((strengths[0],), (strengths[1],)):
            return
        beside = crossing.given.texture is not None and strength_beside(crossing) == strengths[0]
        target = f"{material.id}/{crossing.name}"
        made = (
            (Decision(target, "strength", float(strengths[1])),)
            if beside and crossing.name != "height"
            else ()
        )
        why = "" if made else "It went into the image, which holds no number for it."
        words = [f"{one:.3g}" for one in strengths]
        yield Came(
            "material", material.id, material.name, f"{label}, strength", words[0], words[1], made, why
        )

    def _says_the_same(self, name: str, was: Input, now: Input) -> bool:
        """Whether image and number together say the same: a number may have gone into the image."""
        values = []
        for given, scene in ((was, self.sent), (now, self.returned)):
            image = scene.images.get(given.texture.image) if given.texture is not None else None
            if given.texture is not None and (image is None or not image.usable):
                return False
            values.append(_stored(name, input_values(name, given, image)))
        first, second = values
        return first.shape == second.shape and float(np.abs(first - second).max()) <= _CODES / 255

    def _input(
        self, material: Material, crossing: Crossing, sent: Material, other: Material
    ) -> Iterator[Came]:
        name = crossing.landing.input
        was, now = (m.inputs.get(name, Input(INPUTS[name].default)) for m in (sent, other))
        label = crossing.label.lower()
        pictures = [
            scene.images[given.texture.image].digest
            if given.texture and given.texture.image in scene.images
            else ""
            for given, scene in ((was, self.sent), (now, self.returned))
        ]
        yield from self._lying(material, crossing, was, now)
        differs = pictures[0] != pictures[1] or not _near(was.factor, now.factor)
        if differs and self._says_the_same(name, was, now):
            return
        if pictures[0] != pictures[1]:
            back, why = image_back(
                self.reference, self.plan, crossing, (self.sent, was), (self.returned, now)
            )
            said = "painted over" if back is None else f"{back.share:.1%} of it painted over"
            yield Came("image", material.id, material.name, label, "as sent", said, (), why, back)
        if _near(was.factor, now.factor):
            return
        words = [" ".join(f"{v:.4g}" for v in given.factor) for given in (was, now)]
        number, why = number_before(crossing, was.factor, now.factor)
        target = f"{material.id}/{crossing.name}"
        made = () if number is None else (Decision(target, "factor", number),)
        yield Came("material", material.id, material.name, label, words[0], words[1], made, why)


def _stored(name: str, values: npt.NDArray[np.float32]) -> npt.NDArray[np.float32]:
    return np.asarray(linear_to_srgb(np.clip(values, 0, 1)) if INPUTS[name].color else values, np.float32)


def _near(first: tuple[float, ...], second: tuple[float, ...]) -> bool:
    return len(first) == len(second) and bool(np.allclose(first, second, rtol=_SAME, atol=_SAME))


def _same_points(first: Mesh, second: Mesh) -> bool:
    a, b = ([p for p in mesh.primitives if len(p.indices)] for mesh in (first, second))
    if [len(p.indices) for p in a] != [len(p.indices) for p in b]:
        return False
    return all(
        float(np.abs(corners(p.positions, p) - corners(q.positions, q)).max(initial=0))
        <= _PLACE * max(1.0, float(np.abs(p.positions).max(initial=1)))
        for p, q in zip(a, b)
    )


def _lamp(light: Light, was: Light, now: Light) -> Iterator[Came]:
    tops = max(was.color), max(now.color)
    strengths = was.intensity * tops[0], now.intensity * tops[1]
    if not _near((strengths[0],), (strengths[1],)) and strengths[0] > 0:
        value = light.intensity * strengths[1] / strengths[0]
        made = (Decision(light.id, "intensity", value),)
        yield Came(
            "lamp", light.id, light.name, "strength", f"{strengths[0]:.5g}", f"{strengths[1]:.5g}", made
        )
    hues = [tuple(c / max(top, 1e-12) for c in one.color) for one, top in zip((was, now), tops)]
    if not np.allclose(hues[0], hues[1], atol=1e-3):
        words = [" ".join(f"{v:.3g}" for v in hue) for hue in hues]
        yield Came(
            "lamp",
            light.id,
            light.name,
            "colour",
            words[0],
            words[1],
            (Decision(light.id, "lamp_color", list(hues[1])),),
        )
    cones = [(one.inner_cone_rad, one.outer_cone_rad) for one in (was, now)]
    if now.kind == "spot" and light.kind == "spot" and not np.allclose(cones[0], cones[1], atol=1e-3):
        inner, outer = (float(v) for v in np.degrees(cones[1]))
        words = [" to ".join(f"{v:.3g}°" for v in np.degrees(cone)) for cone in cones]
        made = (Decision(light.id, "cone", {"inner_deg": min(inner, outer), "outer_deg": outer}),)
        yield Came("lamp", light.id, light.name, "cone", words[0], words[1], made)
