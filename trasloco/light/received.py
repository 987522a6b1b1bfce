"""Light that came along written down: images named as lightmaps, paired with the parts they belong to by name
and second UV set; images multiplied over colours; vertex colours.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from trasloco.light.lightmaps.charts import why_unsound, with_light_uvs
from trasloco.light.surroundings import radiance_of
from trasloco.scene.covering import cover, padded
from trasloco.scene.geometry import blended
from trasloco.scene.images import Image, encode, identify
from trasloco.scene.layers import texture_values
from trasloco.scene.model import Layer, Lightmap, Material, Node, Primitive, Scene
from trasloco.scene.tokens import taken_apart

_WORDS = frozenset({"lightmap", "lightmaps", "lm", "lightbake", "bakedlight", "baked", "bake"})
USUAL_LUX = 500.0
"""What white is taken to stand for in an image that does not say: a well-lit room.

A guess, and shown as one.
"""


@dataclass(frozen=True)
class Multiplied:
    """An image on a UV set of its own that is multiplied over a material's colour, as light is that was baked
    into it. ``parts`` wear the material and nothing else.
    """

    material: str
    image: str
    parts: tuple[str, ...]


def multiplied_light(scene: Scene) -> list[Multiplied]:
    """Every layer that multiplies a base colour by an image on another UV set than the colour's own."""
    found = []
    for material in scene.materials.values():
        layer = _light_layer(material)
        if (
            layer is not None
            and (image := scene.images.get(layer.texture.image)) is not None
            and image.usable
        ):
            parts = wearers(scene, material.id)
            if parts and all(
                len(p.uvs) > layer.texture.uv_set for part in parts for p in _faced(scene, part)
            ):
                found.append(Multiplied(material.id, image.id, tuple(part.id for part in parts)))
    return found


def _light_layer(material: Material) -> Layer | None:
    base = material.inputs.get("base_color")
    if base is None:
        return None
    own = base.texture.uv_set if base.texture is not None else 0
    return next(
        (
            layer
            for layer in base.layers
            if layer.blend == "multiply"
            and layer.weight == 1.0
            and layer.mask is None
            and not layer.bounded
            and layer.texture.rotation_rad == 0
            and layer.texture.uv_set != own
        ),
        None,
    )


def _faced(scene: Scene, part: Node) -> list[Primitive]:
    return [p for p in scene.meshes[part.mesh or ""].primitives if len(p.indices)]


def wearers(scene: Scene, material: str) -> list[Node]:
    """Parts that wear a material, if they wear nothing else: one lightmap then holds all their light.

    None where any wears something beside it, since light that is taken off the material would be lost there.
    """
    worn = [(part, {p.material for p in _faced(scene, part)}) for part in scene.parts()]
    return (
        [part for part, all_worn in worn if material in all_worn]
        if all(all_worn == {material} for _, all_worn in worn if material in all_worn)
        else []
    )


def with_multiplied_light(scene: Scene, material_id: str, lux: float) -> Scene:
    """The scene with what multiplies a material's colour taken off it and read as light by the parts that
    wear it; a value of 1 stands for ``lux``.
    """
    material = scene.materials[material_id]
    layer = _light_layer(material)
    held = next((one for one in multiplied_light(scene) if one.material == material_id), None)
    values = texture_values(layer.texture, scene.images, 3) if layer is not None else None
    if layer is None or held is None or values is None:
        return scene
    base = material.inputs["base_color"]
    light, peak = _as_light(
        values * np.array(layer.factor, np.float32),
        f"{held.image} as light on {material.name}",
        scene.images[held.image].name,
    )
    told = Lightmap(light.id, layer.texture.uv_set, layer.texture.scale, layer.texture.offset, lux * peak)
    nodes = {id: replace(scene.nodes[id], lightmap=told) for id in held.parts}
    plain = replace(
        material,
        inputs={
            **material.inputs,
            "base_color": replace(base, layers=tuple(one for one in base.layers if one is not layer)),
        },
    )
    return replace(
        scene, images={**scene.images, light.id: light}, nodes={**scene.nodes, **nodes}
    ).with_material(plain)


def with_painted_light(scene: Scene, material_id: str, lux: float) -> Scene:
    """The scene with the vertex colours of a material drawn into lightmaps of the parts that wear it, on a UV
    set that is kept or made for them; a value of 1 stands for ``lux``.

    Raises:
        Refused: no charts can be made for a mesh.
    """
    parts = wearers(scene, material_id)
    if not parts or any(p.colors is None for part in parts for p in _faced(scene, part)):
        return scene
    sides = {
        part.mesh or "": _side_for(sum(len(p.positions) for p in scene.meshes[part.mesh or ""].primitives))
        for part in parts
    }
    charted, charts = with_light_uvs(scene, sides)
    images, meshes, told = dict(scene.images), dict(charted.meshes), {}
    for mesh_id, side in sides.items():
        mesh, uv_set = charted.meshes[mesh_id], charts[mesh_id].uv_set
        values, known = np.zeros((side, side, 3), np.float32), np.zeros((side, side), bool)
        for p in mesh.primitives:
            if p.colors is None or not len(p.indices):
                continue
            triangle, weights = np.full((side, side), -1, np.int64), np.zeros((side, side, 3), np.float32)
            cover(np.ascontiguousarray(p.uvs[uv_set][p.indices] * side, np.float32), 0, triangle, weights)
            here = triangle >= 0
            values[here], known = (
                blended(p.colors[:, :3], p.indices[triangle[here]], weights[here].astype(np.float64)),
                known | here,
            )
        light, peak = _as_light(padded(values, known), f"image:light of {mesh_id}", f"{mesh.name}-light.exr")
        images[light.id] = light
        told[mesh_id] = Lightmap(light.id, uv_set, level=lux * peak)
        meshes[mesh_id] = replace(mesh, primitives=tuple(replace(p, colors=None) for p in mesh.primitives))
    nodes = {part.id: replace(part, lightmap=told[part.mesh or ""]) for part in parts}
    made = replace(charted, images=images, meshes=meshes, nodes={**charted.nodes, **nodes})
    base = scene.materials[material_id].inputs.get("base_color")
    return (
        made
        if base is None
        else made.with_material(
            replace(
                scene.materials[material_id],
                inputs={
                    **scene.materials[material_id].inputs,
                    "base_color": replace(base, vertex_color=False),
                },
            )
        )
    )


def _side_for(vertices: int) -> int:
    """Texels a side for so many vertices: some four to each, a power of two."""
    return int(2 ** np.clip(np.ceil(np.log2(2 * np.sqrt(max(vertices, 1)))), 5, 10))


@dataclass(frozen=True)
class Pairing:
    """An image and the part whose light it holds. ``part`` is empty where none has its name.

    ``trouble``: why it cannot be read there, empty when it can.
    """

    image: str
    part: str
    reason: str
    trouble: str = ""


def _joined(name: str) -> str:
    """The words of a part's or material's name, which is no file's: it keeps what stands behind a point."""
    return "".join(taken_apart(f"{name}.name").words)


def pairings(scene: Scene) -> list[Pairing]:
    """Every image that is named as a lightmap and read by no material, with its part: by the part's name,
    else by the name of the only material it wears.
    """
    read = {t.image for m in scene.materials.values() for given in m.inputs.values() for t in given.textures}
    if all(image.id in read or not image.usable for image in scene.images.values()):
        return []  # nothing waits to be read
    by_name = {_joined(part.name): part.id for part in scene.parts()}
    for part in scene.parts():
        worn = {p.material for p in scene.meshes[part.mesh or ""].primitives}
        if len(worn) == 1 and (material := scene.materials.get(next(iter(worn)) or "")) is not None:
            by_name.setdefault(_joined(material.name), part.id)
    found = []
    for image in scene.images.values():
        words = taken_apart(image.name).words
        if image.id in read or not image.usable or not (_WORDS & set(words) or "lightmap" in "".join(words)):
            continue
        rest = "".join(word for word in words if word not in _WORDS).replace("lightmap", "")
        owner = by_name.get(rest, "")
        if not owner:
            found.append(
                Pairing(image.id, "", f"named as a lightmap, but no part is called {rest or 'anything'}")
            )
            continue
        trouble = why_unsound(scene.meshes[scene.nodes[owner].mesh or ""].primitives)
        found.append(
            Pairing(
                image.id,
                owner,
                f"named as the light of {scene.nodes[owner].name}, which has a second UV set"
                if not trouble
                else f"named as the light of {scene.nodes[owner].name}",
                trouble,
            )
        )
    return found


def _as_light(values: npt.NDArray[np.float32], id: str, name: str) -> tuple[Image, float]:
    """Linear values (H, W, 3) as an image of light in [0, 1], and what they were divided by."""
    peak = max(float(values.max(initial=0.0)), 1e-9)
    stem = name.rsplit(".", 1)[0]
    return identify(
        id,
        f"{stem}.exr",
        f"{stem}.exr",
        encode(np.ascontiguousarray(values / np.float32(peak), np.float32), "exr"),
    ), peak


def with_received_light(scene: Scene, part: str, image: str, lux: float) -> Scene:
    """The scene with a part's light read from an image, in which a value of 1 stands for ``lux``. 8-bit
    images are read by the sRGB curve.
    """
    node, source = scene.nodes.get(part), scene.images.get(image)
    if (
        node is None
        or node.mesh is None
        or source is None
        or not source.usable
        or any(len(p.uvs) < 2 for p in scene.meshes[node.mesh].primitives if len(p.indices))
    ):
        return scene
    light, peak = _as_light(radiance_of(source, 1.0), f"{image} as light", source.name)
    return replace(
        scene,
        images={**scene.images, light.id: light},
        nodes={**scene.nodes, part: replace(node, lightmap=Lightmap(light.id, 1, level=lux * peak))},
    )
