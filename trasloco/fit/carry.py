"""Carrying a plan out: steps to planes, planes to image files, and the delivered scene; marks are measured on the way."""

from __future__ import annotations

from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np

from trasloco.fit import steps as do
from trasloco.fit.atlas import Atlas, bake_colors, with_atlas_uvs
from trasloco.fit.model import REPLACING, Carried, Crossing, Plan, PlannedImage
from trasloco.fit.resampling import resample
from trasloco.progress import Progress, silent
from trasloco.scene.digest import digest
from trasloco.scene.images import Image, Pixels, encode, identify, pixels
from trasloco.scene.inputs import INPUTS, VECTORS
from trasloco.scene.model import Input, Material, Scene, Texture
from trasloco.scene.resolve import input_values
from trasloco.sheets.model import Sheet

_EXACT_CODES = 0.501
"""Rounding to nearest leaves at most half a code; the rest is float32 noise."""


def plane_of(crossing: Crossing, reference: Scene, planned: PlannedImage, atlases: Mapping[str, Atlas]) -> Pixels:
    """The crossing's steps carried out: codes at the planned size and depth, (H, W) or (H, W, 3)."""
    given = crossing.given
    assert given.texture is not None
    kinds = {step.kind: step for step in crossing.steps}
    vectors = crossing.name in VECTORS or crossing.name == "height"
    if "vertex_color" in kinds and kinds["vertex_color"].settings.get("bake"):
        linear = bake_colors(reference, crossing.material, atlases[crossing.material])
        return do.to_depth(do.encode_values(linear, planned.encoding), planned.depth)
    texels: Pixels = do.extract(pixels(reference.images[given.texture.image]), given.texture.channels)
    encoding = given.texture.encoding
    if "invert" in kinds or ("see_through" in kinds and not given.texture.invert):
        texels = do.invert(texels)
    if "relief" in kinds:
        texels = do.relief(texels if texels.ndim == 2 else texels[..., 0], kinds["relief"].settings["depth"], kinds["relief"].settings["inverted"])
    if "green" in kinds:
        texels = do.turn_green(texels)
    if not vectors and ("multiply" in kinds or (encoding != planned.encoding and texels.ndim == 3)):
        factor = tuple(kinds["multiply"].settings["factor"]) if "multiply" in kinds else (1.0,)
        texels = do.multiply(texels, factor, encoding, planned.encoding)
    if texels.shape[:2] != (planned.height, planned.width):
        texels = do.resize(texels, planned.width, planned.height, planned.encoding if texels.ndim == 3 and not vectors else "linear", vectors)
    return do.to_depth(texels, planned.depth)


def measured(crossing: Crossing, reference: Scene, planned: PlannedImage, codes: Pixels, green_up: bool) -> Crossing:
    """The crossing with its mark as found by comparing delivered texels with what the reference means.

    Codes are compared at the destination's depth. What was replaced or resampled stays ``close``; its rms is taken at the
    delivered size, against the reference brought there by the same filter family in linear light.
    """
    given = crossing.given
    assert given.texture is not None
    if any(step.kind == "vertex_color" and step.settings.get("bake") for step in crossing.steps):
        return crossing
    image = reference.images[given.texture.image]
    factor = tuple(1.0 for _ in given.factor) if any(step.kind == "value" and "beside" in step.text for step in crossing.steps) else given.factor
    wanted = input_values(crossing.name, replace(given, factor=factor if crossing.name != "height" else given.factor), image)
    if any(step.kind == "see_through" for step in crossing.steps):
        wanted = 1 - wanted
    top = 255 if planned.depth == 8 else 65535
    vectors = crossing.name in VECTORS or crossing.name == "height"
    encoding: do.Encoding = "linear"
    got = codes.astype(np.float32) * np.float32(1 / top)
    got = got if got.ndim == 3 else got[..., None]
    same_size = wanted.shape[:2] == got.shape[:2]
    if vectors:
        got = got * 2 - 1
        if not green_up:
            got[..., 1] *= -1
        got /= np.maximum(np.linalg.norm(got, axis=-1, keepdims=True), 1e-6)
        encoded_wanted, encoded_got = wanted * 0.5 + 0.5, got * 0.5 + 0.5
    else:
        encoding = planned.encoding if wanted.shape[-1] == 3 else "linear"
        encoded_wanted, encoded_got = do.encode_values(wanted, encoding), got
    if not same_size:
        smaller = resample(wanted, got.shape[1], got.shape[0])
        smaller = smaller if smaller.ndim == 3 else smaller[..., None]
        encoded_wanted = smaller * 0.5 + 0.5 if vectors else do.encode_values(smaller, encoding)
    difference = np.abs(encoded_got - encoded_wanted)
    error, rms = float(difference.max()) * top, float(np.sqrt(np.mean(difference**2)))
    # A unit normal rounds in three channels at once and is made unit again when read, which can add the others' rounding.
    limit = 1.5 if vectors else _EXACT_CODES
    replaced = any(step.kind in REPLACING and step.settings.get("bake", True) for step in crossing.steps)
    if crossing.mark == "exact" and (error > limit or not same_size):
        return replace(crossing, mark="close", reason=f"Differs by up to {error:.1f} codes of {planned.depth} bits.", error=error, rms=rms)
    if crossing.mark == "close" and not replaced and error <= limit and same_size and not crossing.reason:
        return replace(crossing, mark="exact", error=error, rms=rms)
    return replace(crossing, error=error, rms=rms)


_MEMO: dict[str, Crossing] = {}


def measure_plan(plan: Plan, reference: Scene, destination: Sheet, progress: Progress = silent) -> Plan:
    """The plan with every mark measured. Crossings that did not change since they were last measured are not done again."""
    by_path = {image.path: image for image in plan.images}
    green_up = destination.conventions.normal_green == "up"

    def one(crossing: Crossing) -> Crossing:
        planned = by_path.get(crossing.landing.image)
        if planned is None or crossing.given.texture is None or crossing.mark in ("lost", "blocked") or planned.copy:
            return crossing
        if any(step.kind == "vertex_color" and step.settings.get("bake") for step in crossing.steps):
            return crossing
        key = digest(crossing, planned, reference.images[crossing.given.texture.image].digest, green_up)
        if key not in _MEMO:
            if len(_MEMO) > 4096:
                _MEMO.clear()
            _MEMO[key] = measured(crossing, reference, planned, plane_of(crossing, reference, planned, {}), green_up)
        return _MEMO[key]

    with ThreadPoolExecutor(2) as pool:
        done: list[Crossing] = []
        for crossing in pool.map(one, plan.crossings):
            done.append(crossing)
            progress(len(done) / max(len(plan.crossings), 1), "measuring crossings")
    return replace(plan, crossings=tuple(done))


def carry_out(reference: Scene, plan: Plan, destination: Sheet, progress: Progress = silent) -> Carried:
    """Execute a plan: the delivered scene with its image files."""
    scene = reference
    atlases: dict[str, Atlas] = {}
    for material in plan.baked_colors:
        scene, atlases[material] = with_atlas_uvs(scene, material)
    by_id = {crossing.id: crossing for crossing in plan.crossings}
    updates: dict[str, Crossing] = {}
    green_up = destination.conventions.normal_green == "up"

    def make(planned: PlannedImage) -> tuple[str, Image]:
        if planned.copy:
            source = scene.images[planned.copy]
            return planned.path, replace(source, id=f"image:{planned.path}", name=planned.path.rsplit("/", 1)[-1], path=planned.path)
        planes: dict[str, Any] = {}
        fill = dict(planned.fill)
        for channel, id in planned.channels.items():
            crossing = by_id[id]
            if crossing.given.texture is None:
                constant = crossing.landing.value if crossing.landing.value and crossing.steps and "beside" in crossing.steps[-1].text else None
                value = 1.0 if constant else crossing.given.factor[0]
                if channel == "rgb":
                    top = 255 if planned.depth == 8 else 65535
                    color = do.encode_values(np.asarray((1.0, 1.0, 1.0) if constant else crossing.given.factor, np.float32), planned.encoding)
                    codes = np.round(color * top).astype(np.uint8 if planned.depth == 8 else np.uint16)
                    planes["rgb"] = np.broadcast_to(codes, (planned.height, planned.width, 3))
                else:
                    fill[channel] = value
                continue
            planes[channel] = plane_of(crossing, scene, planned, atlases)
            updates[id] = measured(crossing, scene, planned, planes[channel], green_up)
        data = encode(np.ascontiguousarray(do.pack(planes, fill, planned.depth)), planned.kind)
        return planned.path, identify(f"image:{planned.path}", planned.path.rsplit("/", 1)[-1], planned.path, data)

    images: dict[str, Image] = {}
    with ThreadPoolExecutor(2) as pool:
        for path, image in pool.map(make, plan.images):
            images[path] = image
            progress(len(images) / max(len(plan.images), 1), f"{len(images)} of {len(plan.images)} images")
    plan = replace(plan, crossings=tuple(updates.get(c.id, c) for c in plan.crossings))
    return Carried(_delivered(scene, plan, images, destination, atlases), plan, images)


def _delivered(scene: Scene, plan: Plan, images: Mapping[str, Image], destination: Sheet, atlases: Mapping[str, Atlas]) -> Scene:
    by_path = {image.path: image for image in plan.images}
    materials = {material.id: _delivered_material(material, plan, by_path, scene, destination, atlases) for material in scene.materials.values()}
    kept = {image.id: image for image in images.values()}
    environment = scene.environment if destination.lights.environment and scene.environment is not None else None
    if environment is not None:
        kept[environment.image] = scene.images[environment.image]
    travelling = {c.light for c in plan.lights if c.mark != "lost"}
    lights = {id: light for id, light in scene.lights.items() if id in travelling and light.enabled}
    nodes = {id: node if node.light is None or node.light in lights else replace(node, light=None) for id, node in scene.nodes.items()}
    return replace(scene, nodes=nodes, materials=materials, images=kept, lights=lights, environment=environment, loose_images=())


def _delivered_material(material: Material, plan: Plan, by_path: Mapping[str, PlannedImage], scene: Scene, destination: Sheet, atlases: Mapping[str, Atlas]) -> Material:
    inputs: dict[str, Input] = {}
    cutoff = material.alpha_cutoff
    for crossing in plan.of(material.id):
        landing = crossing.landing
        if not landing.input:
            continue
        spec = INPUTS[landing.input]
        for step in crossing.steps:
            if step.kind == "cut":
                cutoff = float(step.settings["cutoff"])
        texture = None
        if landing.image:
            before = crossing.given.texture or _placement_of(plan, landing.image, by_path)
            encoding = by_path[landing.image].encoding if landing.channel == "rgb" else "linear"
            texture = Texture(f"image:{landing.image}", landing.channel, encoding, green_up=destination.conventions.normal_green == "up" or landing.input not in VECTORS)
            if before is not None:
                texture = replace(texture, uv_set=before.uv_set, offset=before.offset, rotation_rad=before.rotation_rad, scale=before.scale, wrap=before.wrap)
            if crossing.given.texture is not None and landing.input in ("normal", "occlusion", "clearcoat_normal") and crossing.name != "height":
                texture = replace(texture, strength=crossing.given.texture.strength)
            if any(step.kind == "vertex_color" and step.settings.get("bake") for step in crossing.steps):
                texture = replace(texture, uv_set=atlases[material.id].uv_set, offset=(0.0, 0.0), rotation_rad=0.0, scale=(1.0, 1.0))
        factor = landing.value if landing.value else (1.0,) * spec.channels
        if texture is not None and not _beside(crossing):
            factor = INPUTS[landing.input].default if landing.input in VECTORS else (1.0,) * spec.channels
        elif texture is None and any(step.text == "mean of the image" for step in crossing.steps):
            factor = _mean(crossing, scene)
        colored = landing.input == "base_color" and crossing.given.vertex_color and destination.materials.vertex_color == "multiplies"
        inputs[landing.input] = Input(factor, texture, vertex_color=colored)
    two_sided = material.double_sided or destination.materials.two_sided == "always"
    return replace(material, inputs=inputs, alpha_mode=plan.alpha.get(material.id, "opaque"), alpha_cutoff=cutoff, double_sided=two_sided)  # type: ignore[arg-type]


def _beside(crossing: Crossing) -> bool:
    return any(step.kind == "value" and "beside" in step.text for step in crossing.steps)


def _placement_of(plan: Plan, path: str, by_path: Mapping[str, PlannedImage]) -> Texture | None:
    """How the pictured inputs of an image lie on the surface, for a constant that was filled into it."""
    wanted = set(by_path[path].channels.values())
    for crossing in plan.crossings:
        if crossing.id in wanted and crossing.given.texture is not None:
            return crossing.given.texture
    return None


def _mean(crossing: Crossing, scene: Scene) -> tuple[float, ...]:
    assert crossing.given.texture is not None
    values = input_values(crossing.name, crossing.given, scene.images[crossing.given.texture.image])
    return tuple(float(v) for v in values.reshape(-1, values.shape[-1]).mean(axis=0))
