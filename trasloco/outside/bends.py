"""Ways in which a program may read a package otherwise than it is meant, each as a change of the arrival."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from trasloco.scene.color import srgb_to_linear
from trasloco.scene.images import Image, encode, identify, pixels, unit_floats
from trasloco.scene.lit import Environment
from trasloco.scene.model import Input, Material, Node, Primitive, Scene, Texture
from trasloco.scene.resolve import Floats, channel_of, color_of, read_texture

Bending = Callable[[Scene], "Scene | None"]
"""The arrival as it would look, or None where it would look the same."""


@dataclass(frozen=True)
class Bend:
    """One way: what happened in a few words, what to do about it, and the line of the sheet that says it
    otherwise.
    """

    key: str
    words: str
    cure: str
    bend: Bending
    line: str = ""


Change = Callable[[Scene, Material, Input], "Input | tuple[Input, Image] | None"]
"""An input as it would be read, with an image that it would read; None where nothing changes."""


def _each(name: str, change: Change) -> Bending:
    """One input of every material that has it, changed where ``change`` gives another."""

    def bend(scene: Scene) -> Scene | None:
        materials, images = dict(scene.materials), dict(scene.images)
        for material in scene.materials.values():
            given = material.inputs.get(name)
            made = change(scene, material, given) if given is not None else None
            if isinstance(made, tuple):
                made, image = made
                images[image.id] = image
            if made is not None and made != given:
                materials[material.id] = replace(material, inputs={**material.inputs, name: made})
        return _other(scene, replace(scene, materials=materials, images=images))

    return bend


def _repainted(
    scene: Scene, texture: Texture, change: Callable[[Floats], Floats]
) -> tuple[Texture, Image] | None:
    """A texture whose values, 0 to 1 as they are stored, are others; None where it cannot be read."""
    image = scene.images.get(texture.image)
    if image is None or not image.usable:
        return None
    stored = pixels(image)
    values = unit_floats(
        color_of(stored) if texture.channels == "rgb" else channel_of(stored, texture.channels)
    )
    made = np.clip(change(values), 0, 1)
    made = made if made.ndim == 3 else np.repeat(made[..., None], 3, axis=2)
    image_made = _bent_image(f"{texture.image} {texture.channels} {change.__name__}", made)
    return replace(
        texture, image=image_made.id, channels="rgb" if texture.channels == "rgb" else "r"
    ), image_made


def _bent_image(id: str, values: Floats) -> Image:
    """An image of values (H, W, 3) from 0 to 1, 16 bits."""
    codes = np.round(np.clip(values, 0, 1) * 65535).astype(np.uint16)
    return identify(id, "bent.png", "bent.png", encode(np.ascontiguousarray(codes), "png"))


def _decoded(values: Floats) -> Floats:
    return np.asarray(srgb_to_linear(values), np.float32)


def _squared(values: Floats) -> Floats:
    return np.asarray(values * values, np.float32)


def _rooted(values: Floats) -> Floats:
    return np.asarray(np.sqrt(values), np.float32)


def _texels(change: Callable[[Floats], Floats], factor: Callable[[float], float] | None = None) -> Change:
    """An input whose image is read by a formula; a number too where ``factor`` says how."""

    def changed(scene: Scene, material: Material, given: Input) -> Input | tuple[Input, Image] | None:
        if given.texture is not None:
            made = _repainted(scene, given.texture, change)
            return None if made is None else (replace(given, texture=made[0]), made[1])
        if factor is None:
            return None
        return replace(given, factor=tuple(factor(v) for v in given.factor))

    return changed


def roughness_raised(power: float) -> Bending:
    """Roughness, numbers and images, raised to a power."""

    def raised(values: Floats) -> Floats:
        return np.asarray(values**power, np.float32)

    raised.__name__ = f"raised {power:g}"
    return _each("roughness", _texels(raised, lambda v: v**power))


def _texture(**fields: object) -> Change:
    def changed(scene: Scene, material: Material, given: Input) -> Input | None:
        return None if given.texture is None else replace(given, texture=replace(given.texture, **fields))  # type: ignore[arg-type]

    return changed


def _turned(field: str) -> Change:
    def changed(scene: Scene, material: Material, given: Input) -> Input | None:
        if given.texture is None:
            return None
        return replace(given, texture=replace(given.texture, **{field: not getattr(given.texture, field)}))  # type: ignore[arg-type]

    return changed


def _inverted(scene: Scene, material: Material, given: Input) -> Input | tuple[Input, Image] | None:
    if given.texture is not None:
        return _turned("invert")(scene, material, given)
    return replace(given, factor=tuple(1 - v for v in given.factor))


def _to(value: float) -> Change:
    """A number in place of whatever it was."""
    return lambda scene, material, given: replace(given, factor=(value,) * len(given.factor), texture=None)


def _without(*names: str) -> Bending:
    """Inputs that are not read at all."""

    def bend(scene: Scene) -> Scene | None:
        materials = {
            id: replace(m, inputs={k: v for k, v in m.inputs.items() if k not in names})
            for id, m in scene.materials.items()
        }
        return _other(scene, replace(scene, materials=materials))

    return bend


def _other(before: Scene, after: Scene) -> Scene | None:
    return after if dict(before.materials) != dict(after.materials) else None


def _factor(change: Callable[[float], float]) -> Change:
    """The tint over an image."""

    def changed(scene: Scene, material: Material, given: Input) -> Input | None:
        if given.texture is None or all(abs(v - 1) < 1e-3 for v in given.factor):
            return None
        return replace(given, factor=tuple(change(v) for v in given.factor))

    return changed


def _painted(on: bool) -> Bending:
    """Vertex colours multiplied in, or left out."""

    def bend(scene: Scene) -> Scene | None:
        colored = {
            p.material for mesh in scene.meshes.values() for p in mesh.primitives if p.colors is not None
        }
        materials = dict(scene.materials)
        for id in colored:
            material = materials.get(id or "")
            base = material.inputs.get("base_color", Input((1.0, 1.0, 1.0))) if material is not None else None
            if material is not None and base is not None and base.vertex_color != on:
                inputs = {**material.inputs, "base_color": replace(base, vertex_color=on)}
                materials[material.id] = replace(material, inputs=inputs)
        return _other(scene, replace(scene, materials=materials))

    return bend


def _occluded_twice(scene: Scene, material: Material, given: Input) -> tuple[Input, Image] | None:
    occlusion = material.inputs.get("occlusion")
    if occlusion is None or occlusion.texture is None:
        return None
    shade_image = scene.images.get(occlusion.texture.image)
    if shade_image is None or not shade_image.usable:
        return None
    shade = read_texture(occlusion.texture, pixels(shade_image))
    shade = shade if shade.ndim == 2 else shade[..., 0]
    base = scene.images.get(given.texture.image) if given.texture is not None else None
    if given.texture is not None and base is not None and base.usable:
        color = read_texture(given.texture, pixels(base))
        rows = (np.arange(color.shape[0]) * shade.shape[0] // color.shape[0])[:, None]
        columns = (np.arange(color.shape[1]) * shade.shape[1] // color.shape[1])[None]
        made, texture = color * shade[rows, columns][..., None], given.texture
    else:
        made, texture = np.repeat(shade[..., None], 3, axis=2), occlusion.texture
    image = _bent_image(f"{texture.image} shaded {material.id}", np.asarray(made, np.float32))
    read = replace(
        texture, image=image.id, channels="rgb", encoding="linear", space="", invert=False, strength=1.0
    )
    return replace(given, texture=read), image


def _materials(**fields: object) -> Bending:
    def bend(scene: Scene) -> Scene | None:
        return _other(
            scene,
            replace(scene, materials={id: replace(m, **fields) for id, m in scene.materials.items()}),  # type: ignore[arg-type]
        )

    return bend


def _every_texture(change: Callable[[Texture], Texture]) -> Bending:
    def bend(scene: Scene) -> Scene | None:
        made = {
            id: replace(m, inputs={k: given.retextured(change) for k, given in m.inputs.items()})
            for id, m in scene.materials.items()
        }
        return _other(scene, replace(scene, materials=made))

    return bend


def _upside_down(texture: Texture) -> Texture:
    """V running the other way: v' = 1 - v before the image is placed."""
    (x, y), turn, (sx, sy) = texture.offset, texture.rotation_rad, texture.scale
    # offset + R S (u, 1 - v): the second column of R S once is added, and its sign turned.
    return replace(
        texture, offset=(x + math.sin(turn) * sy, y + math.cos(turn) * sy), scale=(sx, -sy), rotation_rad=turn
    )


def _other_set(scene: Scene) -> Scene | None:
    two = {p.material for mesh in scene.meshes.values() for p in mesh.primitives if len(p.uvs) > 1}
    made = {
        id: replace(
            m,
            inputs={
                k: given.retextured(lambda t: replace(t, uv_set=1 - min(t.uv_set, 1)))
                for k, given in m.inputs.items()
            },
        )
        if id in two
        else m
        for id, m in scene.materials.items()
    }
    return _other(scene, replace(scene, materials=made))


def _swapped(scene: Scene) -> Scene | None:
    """Roughness and metalness from each other's channel of one image."""
    materials = dict(scene.materials)
    for m in scene.materials.values():
        rough, metal = m.inputs.get("roughness"), m.inputs.get("metalness")
        if rough is None or metal is None or rough.texture is None or metal.texture is None:
            continue
        if rough.texture.image == metal.texture.image and rough.texture.channels != metal.texture.channels:
            inputs = {
                **m.inputs,
                "roughness": replace(rough, texture=replace(rough.texture, channels=metal.texture.channels)),
                "metalness": replace(metal, texture=replace(metal.texture, channels=rough.texture.channels)),
            }
            materials[m.id] = replace(m, inputs=inputs)
    return _other(scene, replace(scene, materials=materials))


def _lamps(times: float) -> Bending:
    def bend(scene: Scene) -> Scene | None:
        if not any(light.enabled and light.intensity > 0 for light in scene.lights.values()):
            return None
        lights = {
            id: replace(light, intensity=light.intensity * times, enabled=light.enabled and times > 0)
            for id, light in scene.lights.items()
        }
        return replace(scene, lights=lights)

    return bend


def _surroundings(change: Callable[[Environment], Environment | None]) -> Bending:
    def bend(scene: Scene) -> Scene | None:
        if scene.environment is None:
            return None
        return replace(scene, environment=change(scene.environment))

    return bend


def _mirrored_surroundings(scene: Scene) -> Scene | None:
    image = scene.images.get(scene.environment.image) if scene.environment is not None else None
    if scene.environment is None or image is None or not image.usable:
        return None
    id = f"{image.id} mirrored"
    made = identify(id, "bent.exr", "bent.exr", encode(np.ascontiguousarray(pixels(image)[:, ::-1]), "exr"))
    return replace(scene, images={**scene.images, id: made}, environment=replace(scene.environment, image=id))


def _tipped(sign: float) -> Bending:
    """Everything but the camera turned by a quarter about X, as a wrong upward axis turns it."""
    turn = np.eye(4)
    turn[1:3, 1:3] = [[0, sign], [-sign, 0]]

    def bend(scene: Scene) -> Scene | None:
        top = Node("part:tipped", "tipped", None, turn)
        if top.id in scene.nodes:
            return None  # it lies already
        nodes = {id: replace(n, parent=top.id) if n.parent is None else n for id, n in scene.nodes.items()}
        return replace(scene, nodes={top.id: top, **nodes})

    return bend


def _no_pictures(scene: Scene) -> Scene | None:
    made = {
        id: replace(m, inputs={k: replace(given, texture=None, layers=()) for k, given in m.inputs.items()})
        for id, m in scene.materials.items()
    }
    return _other(scene, replace(scene, materials=made))


def _smooth(scene: Scene) -> Scene | None:
    """Normals made anew from the faces' corners that touch, as where the delivered ones are not read."""

    def flat(p: Primitive) -> Primitive:
        return replace(p, normals=None, tangents=None)

    meshes = {id: replace(m, primitives=tuple(map(flat, m.primitives))) for id, m in scene.meshes.items()}
    had = any(p.normals is not None for m in scene.meshes.values() for p in m.primitives)
    return replace(scene, meshes=meshes) if had else None


_AS_NUMBERS = (
    "Set the image to be read as numbers (no colour space) there, or deliver a number instead of an image."
)
_AS_COLOR = "Set the image to be read as sRGB colour there, or say in the sheet how its images are stored."

BENDS: tuple[Bend, ...] = (
    Bend("roughness as colour", "roughness is read as colour", _AS_NUMBERS, _each("roughness", _texels(_decoded))),
    Bend("gloss", "roughness is read as gloss, the other way round", "Say in the sheet that it wants gloss: the image is turned over then.", _each("roughness", _inverted), "conventions.shininess"),
    Bend("roughness squared", "roughness is taken for its square root: everything is glossier", "Deliver the root of roughness, or set its meaning there.", _each("roughness", _texels(_squared, lambda v: v * v))),
    Bend("roughness rooted", "roughness is taken for its square: everything is rougher", "Deliver the square of roughness, or set its meaning there.", _each("roughness", _texels(_rooted, math.sqrt))),
    Bend("green", "the green of normal maps is turned over", "Say the other direction of green in the sheet: the image is turned over then.", _each("normal", _turned("green_up")), "conventions.normal_green"),
    Bend("no normals", "normal maps are not read", "Connect the normal map there, through whatever node reads normals.", _without("normal", "clearcoat_normal")),
    Bend("normal as colour", "normal maps are read as colour", _AS_NUMBERS, _each("normal", _texels(_decoded))),
    Bend("colour as numbers", "base colour is read as numbers: pale and washed out", _AS_COLOR, _each("base_color", _texture(encoding="linear", space=""))),
    Bend("colour twice", "base colour is decoded twice: dark and strong", _AS_COLOR, _each("base_color", _texels(_decoded))),
    Bend("no tint", "the tint over the image is left out", "Say in the sheet that an image replaces the tint: it is multiplied into the image then.", _each("base_color", _factor(lambda v: 1.0)), "conventions.tint"),
    Bend("tint twice", "the tint is multiplied in twice", "Say in the sheet that an image replaces the tint, and set the tint to white there.", _each("base_color", _factor(lambda v: v * v)), "conventions.tint"),
    Bend("painted", "vertex colours are multiplied in", "Say in the sheet what it does with vertex colours, or remove them on Inventory.", _painted(True), "materials.vertex_color"),
    Bend("not painted", "vertex colours are not read", "Say in the sheet that vertex colours are ignored: they are drawn into an image then.", _painted(False), "materials.vertex_color"),
    Bend("no metal", "metalness is not read", "Connect metalness there; say the channel in the sheet where images are packed.", _each("metalness", _to(0.0))),
    Bend("metal as colour", "metalness is read as colour", _AS_NUMBERS, _each("metalness", _texels(_decoded))),
    Bend("swapped", "roughness and metalness are read from each other's channel", "Say the other packing in the sheet.", _swapped, "materials.sets"),
    Bend("occlusion twice", "occlusion darkens the colour as well", "Leave occlusion out on Fit, or disconnect it there.", _each("base_color", _occluded_twice)),
    Bend("no alpha", "what is cut out or blended is drawn solid", "Turn on cut-out or blending there, or say in the sheet what it takes.", _materials(alpha_mode="opaque"), "materials.alpha"),
    Bend("no backs", "backs are not drawn", "Turn on two-sided drawing there, or say in the sheet that it has none: backs are delivered as faces then.", _materials(double_sided=False), "materials.two_sided"),
    Bend("other UVs", "images lie by the other UV set", "Set the UV set of the images there, or deliver one set.", _other_set),
    Bend("upside down", "images lie upside down: V runs the other way", "Turn V over at import there.", _every_texture(_upside_down)),
    Bend("no images", "images are missing", "Deliver them embedded, or point the import at their folder.", _no_pictures),
    Bend("flat", "normals are not read: faces are flat, or smooth where they were not", "Turn on reading normals at import there.", _smooth),
    Bend("no emission", "what glows does not", "Connect emission there, and look at its strength.", _without("emission", "emission_strength")),
    Bend("no glass", "what lets light through does not", "Turn on transmission there, or choose another way for glass on Fit.", _without("transmission", "diffuse_transmission")),
    Bend("no coat", "clear coat is not read", "Connect it there, or fold it into the base on Fit.", _without("clearcoat", "clearcoat_roughness", "clearcoat_color", "clearcoat_normal")),
    Bend("no sheen", "sheen is not read", "Connect it there.", _without("sheen_color", "sheen_roughness")),
    Bend("lamps off", "lamps are not there", "Turn on importing lights there, or write the light down as lightmaps.", _lamps(0.0), "lights.kinds"),
    Bend("lamps 100", "lamps are a hundred times too strong", "Lengths were read in another unit, or strengths: look at the unit first, then at the sheet's unit of light.", _lamps(100.0), "lights.unit"),
    Bend("lamps 1/100", "lamps are a hundred times too weak", "Lengths were read in another unit, or strengths: look at the unit first, then at the sheet's unit of light.", _lamps(0.01), "lights.unit"),
    Bend("lamps pi", "lamps are about three times too strong", "Their strength is taken without the pi of its unit: say the unit of light in the sheet.", _lamps(math.pi), "lights.unit"),
    Bend("lamps 1/pi", "lamps are about three times too weak", "Their strength is taken with a pi too many: say the unit of light in the sheet.", _lamps(1 / math.pi), "lights.unit"),
    Bend("no surroundings", "the surroundings light nothing", "Set the picture as the environment there.", _surroundings(lambda e: None), "lights.environment"),
    Bend("turned 90", "the surroundings are turned by a quarter", "Turn the environment there by 90 degrees.", _surroundings(lambda e: replace(e, turn_rad=e.turn_rad + math.pi / 2))),
    Bend("turned 180", "the surroundings are turned by a half", "Turn the environment there by 180 degrees.", _surroundings(lambda e: replace(e, turn_rad=e.turn_rad + math.pi))),
    Bend("turned 270", "the surroundings are turned by a quarter the other way", "Turn the environment there by -90 degrees.", _surroundings(lambda e: replace(e, turn_rad=e.turn_rad - math.pi / 2))),
    Bend("mirrored", "the surroundings are mirrored", "Mirror the picture of the environment there.", _mirrored_surroundings),
    Bend("tipped", "it lies on its back: the upward axis is read otherwise", "Say the other axis in the sheet, or turn it at import there.", _tipped(1.0), "conventions.up_axis"),
    Bend("tipped forward", "it lies on its face: the upward axis is read otherwise", "Say the other axis in the sheet, or turn it at import there.", _tipped(-1.0), "conventions.up_axis"),
)  # fmt: skip
"""Every way that is tried."""

BY_KEY: Mapping[str, Bend] = {bend.key: bend for bend in BENDS}
