"""A variant of a material made once, worn lacquer beside lacquer, as a difference of inputs that can be put
on others.

What fell is multiplied; what rose went some way towards 1, and others go as far of their own way. Both keep
shares and colours between 0 and 1, hold for every texel of an image, and are undone by no difference.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from trasloco.errors import Refused
from trasloco.inputs.table import INPUTS, ORDER
from trasloco.mends.layer_values import MOST_LAYERS, layer_value
from trasloco.scene.model import Decision, Input, Layer, Material, Scene

_SAME = 1e-6


@dataclass(frozen=True)
class Change:
    """What becomes of an input: times ``by``, then ``toward`` 1, each channel for itself; then layers over
    it.
    """

    name: str
    by: tuple[float, ...]
    toward: tuple[float, ...]
    layers: tuple[Layer, ...] = ()

    def words(self, amount: float = 1.0) -> str:
        """As an artist says it."""
        by = [1 - amount * (1 - v) for v in self.by]
        toward = [100 * amount * v for v in self.toward]
        told = [*_named(by, "× {:.2g}", 1.0), *_named(toward, "{:.0f} % of the way to 1", 0.0)]
        if self.layers:
            told.append(f"{len(self.layers)} layer{'s' if len(self.layers) > 1 else ''} over it")
        return ", ".join(told)


def _named(values: Sequence[float], words: str, nothing: float) -> list[str]:
    """What becomes of channels, each by its name where they differ; nothing of those that stay."""
    if len(set(values)) == 1:
        return [words.format(values[0])] if abs(values[0] - nothing) > _SAME else []
    return [
        f"{channel} {words.format(v)}"
        for channel, v in zip(("red", "green", "blue"), values, strict=True)
        if abs(v - nothing) > _SAME
    ]


def difference(scene: Scene, first: str, second: str, received: Scene) -> tuple[list[Change], list[str]]:
    """How the second material differs from the first, or from itself as it was ``received``, and what of it
    is
    no difference that others can take: sentences.

    Raises:
        Refused: no such material, or one that was made here beside itself.
    """
    earlier = received if first == second else scene
    for id, held in ((second, scene), (first, earlier)):
        if id in held.materials:
            continue
        if id in scene.materials:
            remedy = "Choose the material that it is a variant of."
            raise Refused(f"{scene.materials[id].name} was not received.", id, remedy)
        raise Refused("There is no such material.", id, "Reload the page.")
    a, b = earlier.materials[first], scene.materials[second]
    changes, left = [], []
    if (a.alpha_mode, a.alpha_cutoff, a.double_sided) != (b.alpha_mode, b.alpha_cutoff, b.double_sided):
        left.append(f"See-through and sides stay with {b.name}.")
    for name in sorted({*a.inputs, *b.inputs}, key=lambda n: ORDER[n]):
        spec, before, after = INPUTS[name], _of(a, name), _of(b, name)
        if before == after:
            continue
        if before.vertex_color != after.vertex_color or _image(before) != _image(after):
            left.append(f"{spec.label} reads another image; that stays with {b.name}.")
            continue
        if before.texture != after.texture:
            left.append(f"{spec.label} reads its image otherwise; that stays with {b.name}.")
            continue
        if spec.holds == "vector" and before.factor != after.factor:
            left.append(f"{spec.label} has another direction; that stays with {b.name}.")
            continue
        if after.layers[: len(before.layers)] != before.layers:
            left.append(f"{spec.label} has other layers from the ground up; they stay with {b.name}.")
            continue
        change = _change(name, before.factor, after.factor, after.layers[len(before.layers) :])
        if change is None:
            left.append(f"{spec.label} has no value to differ from; it stays with {b.name}.")
        elif change.words():
            changes.append(change)
    return changes, left


def _of(material: Material, name: str) -> Input:
    """An input, or its default, whoever said it."""
    held = material.inputs.get(name)
    return replace(held, origin="file") if held is not None else Input(INPUTS[name].default)


def _image(given: Input) -> str:
    return given.texture.image if given.texture is not None else ""


def _bounded(name: str) -> bool:
    return INPUTS[name].share or INPUTS[name].color


def _change(
    name: str, before: Sequence[float], after: Sequence[float], layers: tuple[Layer, ...]
) -> Change | None:
    by, toward = [], []
    for a, b in zip(before, after, strict=True):
        rises = b > a + _SAME and _bounded(name) and a < 1 and b <= 1
        if not rises and abs(a - b) > _SAME and (a == 0 or not abs(a) < float("inf")):
            return None
        by.append(1.0 if rises or abs(a - b) <= _SAME else b / a)
        toward.append((b - a) / (1 - a) if rises else 0.0)
    return Change(name, tuple(by), tuple(toward), layers)


def varied(
    scene: Scene, changes: Sequence[Change], targets: Sequence[str], amount: float
) -> tuple[list[Decision], list[str]]:
    """Decisions that put a difference on other materials, to a share of it, and what could not be: sentences.

    Raises:
        Refused: no such material, or a share beyond 0 to 1.
    """
    if not 0 <= amount <= 1:
        raise Refused(
            "A difference is taken to a share from 0 to 1.", f"{amount:g}", "Give a number between."
        )
    made: list[Decision] = []
    left: list[str] = []
    for id in targets:
        material = scene.materials.get(id)
        if material is None:
            raise Refused("There is no such material.", id, "Reload the page.")
        for change in changes:
            given, label = _of(material, change.name), INPUTS[change.name].label.lower()
            by = tuple(1 - amount * (1 - v) for v in change.by)
            toward = tuple(amount * v for v in change.toward)
            rising = any(v > _SAME for v in toward)
            if rising and (given.layers or given.vertex_color):
                left.append(f"{material.name}: {label} has layers or colours of its own to rise over.")
                continue
            if rising and given.texture is not None and given.texture.curve != "linear":
                left.append(f"{material.name}: {label} is read by a curve from gloss.")
                continue
            if any(layer.blend == "screen" for layer in given.layers) and any(v != 1 for v in by):
                left.append(
                    f"{material.name}: {label} has a screened layer, which cannot be multiplied through."
                )
                continue
            decided = _decided(f"{id}/{change.name}", given, by, toward, change.layers, amount)
            if len(next((d.value for d in decided if d.field == "layers"), ())) > MOST_LAYERS:
                left.append(f"{material.name}: {label} would have more than {MOST_LAYERS} layers.")
                continue
            made += decided
    return made, left


def _decided(
    target: str,
    given: Input,
    by: tuple[float, ...],
    toward: tuple[float, ...],
    more: tuple[Layer, ...],
    amount: float,
) -> list[Decision]:
    factor = tuple(f * m for f, m in zip(given.factor, by, strict=True))
    layers = [_times(layer, by) for layer in given.layers]
    if given.texture is None:
        factor = tuple(f + s * (1 - f) for f, s in zip(factor, toward, strict=True))
    elif any(v > _SAME for v in toward):
        # v + s (1 - v) for v = f t is f t + s (1 - t) + s (1 - f) t: two layers that are added.
        texture = given.texture
        layers.append(Layer(replace(texture, invert=not texture.invert), toward, blend="add"))
        rest = tuple(s * max(1 - f, 0.0) for f, s in zip(factor, toward, strict=True))
        if any(v > _SAME for v in rest):
            layers.append(Layer(texture, rest, blend="add"))
    layers += [replace(layer, weight=layer.weight * amount) for layer in more if layer.weight * amount > 0]
    made: list[Decision] = []
    if any(abs(a - b) > _SAME for a, b in zip(factor, given.factor, strict=True)):
        made.append(Decision(target, "factor", [float(v) for v in factor]))
    if tuple(layers) != given.layers:
        made.append(Decision(target, "layers", [layer_value(layer) for layer in layers]))
    return made


def _times(layer: Layer, by: tuple[float, ...]) -> Layer:
    """A layer so that what it lies over, and it, are multiplied together."""
    if layer.blend == "multiply":
        return layer
    return replace(layer, factor=tuple(f * m for f, m in zip(layer.factor, by, strict=True)))
