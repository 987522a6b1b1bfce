"""Where steps are done: a crossing's texels through its steps, in one order, to codes at the planned size and
depth.

Integers stay integers as long as a step is exact on them; what needs light works on linear values; encoding
and depth come last.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, replace

import numpy as np

from trasloco.fit import steps as do
from trasloco.fit.atlas import Atlas, bake_input
from trasloco.fit.model import Crossing, PlannedImage, Step
from trasloco.fit.specular import specular_reflectance
from trasloco.fit.steps.resampling import resample
from trasloco.fit.steps.shine import Metallic, metallic_of_specular, specular_of_metallic
from trasloco.fit.steps.shrinking import coverage, keeping_coverage, slope_variance, widened
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.scene.color import roughness_of_gloss
from trasloco.scene.covering import padded
from trasloco.scene.digest import digest
from trasloco.scene.images import Pixels, pixels, unit_floats
from trasloco.scene.layers import flattened
from trasloco.scene.model import Input, Scene
from trasloco.scene.resolve import channel_of, input_values, normal_vectors, read_texture
from trasloco.scene.spaces import to_linear


@dataclass(frozen=True)
class Order:
    """What is to be made: a crossing for a planned image, out of the reference."""

    crossing: Crossing
    planned: PlannedImage
    reference: Scene
    atlases: Mapping[str, Atlas]

    def partner(self, name: str) -> Input | None:
        """Another input of the same material."""
        return self.reference.materials[self.crossing.material].inputs.get(name)


@dataclass(frozen=True)
class Plane:
    """Texels on their way, (H, W) or (H, W, 3), and how they are encoded."""

    texels: Pixels
    encoding: do.Encoding
    vectors: bool = False

    def linear(self) -> Pixels:
        return do.decode(self.texels, self.encoding)


def vectors_in(crossing: Crossing) -> bool:
    """Whether a crossing's texels are directions."""
    return crossing.name in VECTORS or crossing.name == "height"


def baked(crossing: Crossing) -> bool:
    """Whether it is drawn into an atlas: vertex colours, or layers that lie otherwise than what is below
    them.
    """
    return any(step.settings.get("bake") for step in crossing.steps)


def strength_beside(crossing: Crossing) -> float:
    """The normal scale or occlusion strength that travels as a number beside the image; 1 where it is written
    into the texels.
    """
    texture = crossing.given.texture
    if (
        texture is None
        or crossing.name not in ("normal", "clearcoat_normal", "occlusion")
        or any(step.kind in ("shade", "flatten") for step in crossing.steps)
    ):
        return 1.0
    return texture.strength


def flattened_here(crossing: Crossing) -> bool:
    """Whether its layers are flattened texel by texel, all lying alike."""
    return any(step.kind == "flatten" and not step.settings.get("bake") for step in crossing.steps)


def how_baked(crossings: Iterable[Crossing]) -> str:
    """How what a material has no image for becomes one: ``atlas`` or ``palette``; empty when they do not."""
    return next(
        (
            str(step.settings.get("how", "atlas"))
            for crossing in crossings
            for step in crossing.steps
            if step.settings.get("bake")
        ),
        "",
    )


def plane_of(order: Order) -> Pixels:
    """The crossing's steps carried out: codes at the planned size and depth, (H, W) or (H, W, 3)."""
    if baked(order.crossing):
        linear = drawn(order)
        codes = do.to_depth(
            do.encode_values(linear, order.planned.encoding if linear.shape[2] == 3 else "linear"),
            order.planned.depth,
        )
        return codes if codes.shape[2] == 3 else codes[..., 0]
    for _, plane in planes(order):
        last = plane
    return _finished(last, order)


def drawn(order: Order) -> Pixels:
    """A crossing drawn into its material's atlas, linear (side, side, C), with what is done to it as a whole."""
    crossing, atlas = order.crossing, order.atlases[order.crossing.material]
    values = as_it_lands(crossing, bake_input(order.reference, crossing.material, crossing.name, atlas))
    if any(step.kind == "occlude" for step in crossing.steps):
        values = values * bake_input(order.reference, crossing.material, "occlusion", atlas)
    return values


def as_it_lands(crossing: Crossing, values: Pixels) -> Pixels:
    """What an input says in terms of the one it lands on: see-through is the opposite of opacity."""
    return 1 - values if any(step.kind == "see_through" for step in crossing.steps) else values


def planes(order: Order) -> Iterator[tuple[Step | None, Plane]]:
    """The texels as read, then after each step that changes them."""
    crossing = order.crossing
    given = crossing.given
    assert given.texture is not None
    texels = do.extract(pixels(order.reference.images[given.texture.image]), given.texture.channels)
    # Floating texels are light as it is, whatever the texture says of an encoding.
    plain = vectors_in(crossing) or texels.ndim == 2 or texels.dtype.kind == "f"
    plane = Plane(texels, "linear" if plain else given.texture.encoding, vectors_in(crossing))
    yield None, plane
    for step in crossing.steps:
        act = _ACTS.get(step.kind) if not step.settings.get("bake") else None
        if act is not None:
            plane = act(plane, step, order)
            yield step, plane


def _finished(plane: Plane, order: Order) -> Pixels:
    """Codes at the planned encoding, size and depth."""
    crossing, planned = order.crossing, order.planned
    if plane.texels.ndim == 3 and not plane.vectors and plane.encoding != planned.encoding:
        plane = Plane(do.multiply(plane.texels, (1.0,), plane.encoding, planned.encoding), planned.encoding)
    if plane.texels.shape[:2] != (planned.height, planned.width):
        plane = _resize(plane, None, order)
    if planned.depth == 8 and any(step.kind == "depth" for step in crossing.steps):
        return do.dithered(plane.texels)
    return do.to_depth(plane.texels, planned.depth)


def _flatten(plane: Plane, step: Step, order: Order) -> Plane:
    given = order.partner(order.crossing.name)
    assert given is not None
    values = flattened(order.crossing.name, given, order.reference.images, *step.settings["size"])
    return Plane(np.clip(values if values.shape[2] == 3 else values[..., 0], 0, 1), "linear")


def _invert(plane: Plane, step: Step, order: Order) -> Plane:
    curve = step.settings.get("curve", "linear")
    if curve == "linear":
        return replace(plane, texels=do.invert(plane.texels))
    return replace(plane, texels=roughness_of_gloss(unit_floats(plane.texels), curve, step.settings["top"]))


def _space(plane: Plane, step: Step, order: Order) -> Plane:
    return Plane(np.clip(to_linear(unit_floats(plane.texels), step.settings["space"]), 0, 1), "linear")


def _relief(plane: Plane, step: Step, order: Order) -> Plane:
    heights = plane.texels if plane.texels.ndim == 2 else plane.texels[..., 0]
    return replace(plane, texels=do.relief(heights, step.settings["depth"], step.settings["inverted"]))


def _green(plane: Plane, step: Step, order: Order) -> Plane:
    return replace(plane, texels=do.turn_green(plane.texels))


def _multiply(plane: Plane, step: Step, order: Order) -> Plane:
    target = order.planned.encoding if plane.texels.ndim == 3 else "linear"
    return Plane(do.multiply(plane.texels, tuple(step.settings["factor"]), plane.encoding, target), target)


def _shade(plane: Plane, step: Step, order: Order) -> Plane:
    """Occlusion as a whole: factor x (1 + strength x (value - 1)), glTF 2.0 section 3.9.3."""
    values = unit_floats(plane.texels if plane.texels.ndim == 2 else plane.texels[..., 0])
    factor, strength = np.float32(step.settings["factor"]), np.float32(step.settings["occlusion_strength"])
    return Plane(np.clip(factor * (1 + strength * (values - 1)), 0, 1), "linear")


def _metal(plane: Plane, step: Step, order: Order) -> Plane:
    made = metallic_terms(order)
    return (
        Plane(made.base_color, "linear")
        if step.settings["want"] == "base_color"
        else Plane(made.metalness, "linear")
    )


def metallic_terms(order: Order) -> Metallic:
    """Base colour and metalness of a material told by diffuse and specular colour, at the larger of its two
    images' sizes.
    """
    return metallic_of_specular(*specular_terms(order))


def specular_terms(order: Order) -> tuple[Pixels, Pixels]:
    """Diffuse colour and reflectance straight ahead of a material, linear, brought to one size."""
    material = order.reference.materials[order.crossing.material]
    found = []
    for name in ("base_color", "specular_color"):
        given = material.inputs.get(name, Input(INPUTS[name].default))
        image = order.reference.images.get(given.texture.image) if given.texture else None
        found.append(np.clip(input_values(name, given, image), 0, None))
    rows, columns = (max(f.shape[axis] for f in found) for axis in (0, 1))
    base, specular = (
        f if f.shape[:2] in ((rows, columns), (1, 1)) else np.clip(resample(f, columns, rows), 0, None)
        for f in found
    )
    shape = (rows, columns, 3)
    return np.broadcast_to(np.clip(base, 0, 1), shape), np.broadcast_to(
        specular_reflectance(material, specular), shape
    )


def _occlude(plane: Plane, step: Step, order: Order) -> Plane:
    occlusion = order.partner("occlusion")
    assert occlusion is not None
    shade = input_values("occlusion", occlusion, order.reference.images[step.settings["image"]])
    linear = plane.linear()
    base = order.partner("base_color")
    if base is not None and base.texture is None and not flattened_here(order.crossing):
        linear = np.broadcast_to(np.asarray(base.factor, np.float32), (*shade.shape[:2], 3))
    if shade.shape[:2] != linear.shape[:2]:
        shade = np.clip(resample(shade, linear.shape[1], linear.shape[0]), 0, 1)
        shade = shade if shade.ndim == 3 else shade[..., None]
    return Plane(np.asarray(linear * shade, np.float32), "linear")


def _resize(plane: Plane, step: Step | None, order: Order) -> Plane:
    planned = order.planned
    if plane.texels.shape[:2] == (planned.height, planned.width):
        return plane
    if plane.texels.ndim == 3 and not plane.vectors and plane.encoding != planned.encoding:
        plane = Plane(do.multiply(plane.texels, (1.0,), plane.encoding, planned.encoding), planned.encoding)
    return replace(
        plane, texels=do.resize(plane.texels, planned.width, planned.height, plane.encoding, plane.vectors)
    )


def _widen(plane: Plane, step: Step, order: Order) -> Plane:
    plane = _resize(plane, None, order)
    normal = order.partner("normal")
    assert normal is not None and normal.texture is not None
    encoded = read_texture(normal.texture, pixels(order.reference.images[step.settings["image"]]))
    vectors = normal_vectors(np.array(encoded, np.float32), normal.texture.green_up, normal.texture.strength)
    variance = slope_variance(vectors, *step.settings["to"])
    if variance.shape != plane.texels.shape[:2]:
        variance = np.maximum(resample(variance, plane.texels.shape[1], plane.texels.shape[0]), 0)
    return Plane(widened(unit_floats(plane.texels), variance), "linear")


def _coverage(plane: Plane, step: Step, order: Order) -> Plane:
    """The share is that of the reference: of what its own cut keeps, or of its mean where nothing was cut."""
    given = order.crossing.given
    assert given.texture is not None
    whole = input_values("opacity", given, order.reference.images[given.texture.image])[..., 0]
    cutoff = step.settings["cutoff"]
    share = coverage(whole, cutoff) if step.settings["of"] == "cut" else float(whole.mean())
    plane = _resize(plane, None, order)
    return Plane(keeping_coverage(unit_floats(plane.texels), cutoff, share), "linear")


def _pad(plane: Plane, step: Step, order: Order) -> Plane:
    return replace(plane, texels=padded(plane.texels, seen_texels(order, step, plane.texels.shape[:2])))


def seen_texels(order: Order, step: Step, shape: tuple[int, ...]) -> Pixels:
    """Texels (H, W) that are not fully cut away."""
    opacity = order.partner("opacity")
    assert opacity is not None and opacity.texture is not None
    alpha = unit_floats(
        channel_of(
            pixels(order.reference.images[step.settings["image"]]),
            opacity.texture.channels if opacity.texture.channels != "rgb" else "r",
        )
    )
    alpha = 1 - alpha if opacity.texture.invert else alpha
    if alpha.shape != shape:
        alpha = resample(alpha, shape[1], shape[0])
    return np.asarray(alpha > 1 / 255)


def _see_through(plane: Plane, step: Step, order: Order) -> Plane:
    return replace(plane, texels=do.invert(plane.texels))


_ACTS: Mapping[str, Callable[[Plane, Step, Order], Plane]] = {
    "flatten": _flatten,
    "space": _space,
    "invert": _invert,
    "relief": _relief,
    "green": _green,
    "metal": _metal,
    "multiply": _multiply,
    "shade": _shade,
    "occlude": _occlude,
    "see_through": _see_through,
    "resize": _resize,
    "widen": _widen,
    "coverage": _coverage,
    "pad": _pad,
}

PICTURED = frozenset(_ACTS)
"""Steps that change texels, so that there is something to see before and after."""


def ingredients(order: Order) -> str:
    """A digest of everything that a crossing's texels depend on: its steps, the planned file, and the content
    of the images that go in.
    """
    crossing, planned = order.crossing, order.planned
    assert crossing.given.texture is not None
    images = {step.settings["image"] for step in crossing.steps if "image" in step.settings} | {
        crossing.given.texture.image
    }
    others: tuple[object, ...] = ()
    if any(step.kind in ("metal", "widen", "pad", "occlude", "flatten") for step in crossing.steps):
        material = order.reference.materials[crossing.material]
        others = tuple(material.inputs.values())
        images |= {texture.image for given in material.inputs.values() for texture in given.textures}
    texture = replace(crossing.given.texture, image="")
    held = sorted(order.reference.images[id].digest for id in images if id in order.reference.images)
    return digest(
        crossing.name,
        replace(crossing.given, texture=texture),
        [(s.kind, {k: v for k, v in s.settings.items() if k != "image"}) for s in crossing.steps],
        _bare(others),
        planned.width,
        planned.height,
        planned.depth,
        planned.encoding,
        held,
    )


def _bare(inputs: tuple[object, ...]) -> list[object]:
    return [
        given.retextured(lambda texture: replace(texture, image="")) if isinstance(given, Input) else given
        for given in inputs
    ]


def residual_of_metal(order: Order) -> float:
    """Root mean square of what metalness terms leave of diffuse and specular colour: the conversion and its
    inverse, against what went in.
    """
    diffuse, specular = specular_terms(order)
    again = specular_of_metallic(*_terms(metallic_of_specular(diffuse, specular)))
    return float(np.sqrt(np.mean([np.mean((again[0] - diffuse) ** 2), np.mean((again[1] - specular) ** 2)])))


def _terms(made: Metallic) -> tuple[Pixels, Pixels]:
    return made.base_color, made.metalness
