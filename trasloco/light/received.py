"""Light that came along written down: images named as lightmaps, paired with the parts they belong to by name and second UV set."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from trasloco.light.lightmaps.charts import why_unsound
from trasloco.light.surroundings import radiance_of
from trasloco.scene.images import Image, encode, identify
from trasloco.scene.model import Lightmap, Scene
from trasloco.scene.tokens import taken_apart

_WORDS = frozenset({"lightmap", "lightmaps", "lm", "lightbake", "bakedlight", "baked", "bake"})
USUAL_LUX = 500.0
"""What white is taken to stand for in an image that does not say: a well-lit room. A guess, and shown as one."""


@dataclass(frozen=True)
class Pairing:
    """An image and the part whose light it holds. ``part`` is empty where none has its name. ``trouble``: why it cannot be read there, empty when it can."""

    image: str
    part: str
    reason: str
    trouble: str = ""


def _joined(name: str) -> str:
    """The words of a part's or material's name, which is no file's: it keeps what stands behind a point."""
    return "".join(taken_apart(f"{name}.name").words)


def pairings(scene: Scene) -> list[Pairing]:
    """Every image that is named as a lightmap and read by no material, with its part: by the part's name, else by the name of the only material it wears."""
    read = {t.image for m in scene.materials.values() for given in m.inputs.values() for t in given.textures}
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
            found.append(Pairing(image.id, "", f"named as a lightmap, but no part is called {rest or 'anything'}"))
            continue
        trouble = why_unsound(scene.meshes[scene.nodes[owner].mesh or ""].primitives)
        found.append(Pairing(image.id, owner, f"named as the light of {scene.nodes[owner].name}, which has a second UV set" if not trouble else f"named as the light of {scene.nodes[owner].name}", trouble))
    return found


def as_light(image: Image, id: str) -> tuple[Image, float]:
    """An image as light: linear values in [0, 1], and what they were divided by. 8-bit images are read by the sRGB curve."""
    values = radiance_of(image, 1.0)
    peak = max(float(values.max(initial=0.0)), 1e-9)
    stem = image.name.rsplit(".", 1)[0]
    return identify(id, f"{stem}.exr", f"{stem}.exr", encode(np.ascontiguousarray(values / np.float32(peak), np.float32), "exr")), peak


def with_received_light(scene: Scene, part: str, image: str, lux: float) -> Scene:
    """The scene with a part's light read from an image, in which a value of 1 stands for ``lux``."""
    node, source = scene.nodes.get(part), scene.images.get(image)
    if node is None or node.mesh is None or source is None or not source.usable or any(len(p.uvs) < 2 for p in scene.meshes[node.mesh].primitives if len(p.indices)):
        return scene
    light, peak = as_light(source, f"{image} as light")
    return replace(scene, images={**scene.images, light.id: light}, nodes={**scene.nodes, part: replace(node, lightmap=Lightmap(light.id, 1, level=lux * peak))})
