"""Carrying a plan out: planes to image files, and the delivered scene; marks are measured on the way."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import AbstractContextManager, nullcontext
from dataclasses import replace
from threading import Lock
from typing import Any

import numpy as np

from trasloco.fit.atlas import Atlas, laid_out
from trasloco.fit.crossings import baked, beside_image, how_baked, strength_beside
from trasloco.fit.formulas import codes as do
from trasloco.fit.geometry.backs import backs_for, with_backs
from trasloco.fit.geometry.shaping import Shaped, shaped_meshes
from trasloco.fit.lights import delivered_light, emptied_by, travelling_lamps
from trasloco.fit.measuring import measured
from trasloco.fit.model import Carried, Crossing, Mark, MeshCrossing, Plan, PlannedImage
from trasloco.fit.passages import dropped_colors
from trasloco.fit.plane import Order
from trasloco.fit.texels import ingredients, plane_of
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.keeping import kept, with_keeper
from trasloco.progress import Progress, silent
from trasloco.scene.digest import digest
from trasloco.scene.images import Image, encode, identify, pixels
from trasloco.scene.model import Input, Material, Primitive, Scene, Texture
from trasloco.scene.resolve import input_values
from trasloco.sheets.model import Sheet

_LARGE_TEXELS = 3000 * 3000
_LARGE = Lock()


def _room_for(crossings: Iterable[Crossing], reference: Scene) -> AbstractContextManager[Any]:
    """Large images are worked on one at a time, so that memory stays bounded whatever the number of threads."""
    held = (
        reference.images.get(crossing.given.texture.image)
        for crossing in crossings
        if crossing.given.texture is not None
    )
    return (
        _LARGE
        if any(image is not None and image.width * image.height > _LARGE_TEXELS for image in held)
        else nullcontext()
    )


def measure_plan(plan: Plan, reference: Scene, destination: Sheet, progress: Progress = silent) -> Plan:
    """The plan with every mark measured.

    Crossings that did not change since they were last measured are not done again.
    """
    by_path = {image.path: image for image in plan.images}
    green_up = destination.conventions.normal_green == "up"

    def one(crossing: Crossing) -> Crossing:
        planned = by_path.get(crossing.landing.image)
        if (
            planned is None
            or crossing.given.texture is None
            or not crossing.landing.input
            or crossing.mark in ("lost", "blocked")
            or planned.copy
            or baked(crossing)
        ):
            return crossing
        order = Order(crossing, planned, reference, {})
        key = digest(ingredients(order), crossing.mark, crossing.reason, green_up)

        def look() -> Crossing:
            with _room_for([crossing], reference):
                return measured(order, plane_of(order), green_up)

        return _as_measured(crossing, kept("measured", key, look))

    with ThreadPoolExecutor(2) as pool:
        done: list[Crossing] = []
        for crossing in pool.map(with_keeper(one), plan.crossings):
            done.append(crossing)
            progress(len(done) / max(len(plan.crossings), 1), "measuring crossings")
    return replace(
        plan,
        crossings=tuple(done),
        meshes=_measured_meshes(plan, shaped_meshes(reference, {m.mesh: m.wish for m in plan.meshes})),
    )


def _measured_meshes(plan: Plan, shaped: Mapping[str, Shaped]) -> tuple[MeshCrossing, ...]:
    made = []
    for crossing in plan.meshes:
        found = shaped[crossing.mesh]
        over = bool(crossing.wish.triangles) and found.after > crossing.wish.triangles
        mark: Mark = (
            "lost"
            if crossing.wish.subdivide and found.after == found.before
            else "close"
            if over or found.after != found.before
            else "exact"
        )
        made.append(
            replace(
                crossing,
                after=found.after,
                largest_m=found.largest_m,
                mean_m=found.mean_m,
                mark=mark,
                reason=found.note,
            )
        )
    return tuple(made)


def _as_measured(crossing: Crossing, found: Crossing) -> Crossing:
    return replace(crossing, mark=found.mark, reason=found.reason, error=found.error, rms=found.rms)


def carry_out(reference: Scene, plan: Plan, destination: Sheet, progress: Progress = silent) -> Carried:
    """Execute a plan: the delivered scene with its image files."""
    shaped = shaped_meshes(reference, {m.mesh: m.wish for m in plan.meshes})
    scene = replace(reference, meshes={**reference.meshes, **{id: one.mesh for id, one in shaped.items()}})
    scene = with_backs(scene, backs_for(reference, destination))
    atlases: dict[str, Atlas] = {}
    for material, side in plan.atlases.items():
        scene, atlases[material] = laid_out(scene, material, how_baked(plan.of(material)), side)
    by_id = {crossing.id: crossing for crossing in plan.crossings}
    updates: dict[str, Crossing] = {}
    green_up = destination.conventions.normal_green == "up"

    def make(planned: PlannedImage) -> tuple[str, Image]:
        if planned.copy:
            source = scene.images[planned.copy]
            return planned.path, replace(
                source, id=f"image:{planned.path}", name=planned.path.rsplit("/", 1)[-1], path=planned.path
            )
        members = {channel: by_id[id] for channel, id in planned.channels.items()}
        key = _recipe(planned, members, scene, atlases, green_up)

        def write() -> tuple[bytes, dict[str, Crossing]]:
            with _room_for(members.values(), scene):
                return _write(planned, members, scene, atlases, green_up)

        data, found = kept("written", key, write) if key else write()
        updates.update(
            {
                members[channel].id: _as_measured(members[channel], crossing)
                for channel, crossing in found.items()
            }
        )
        return planned.path, identify(
            f"image:{planned.path}", planned.path.rsplit("/", 1)[-1], planned.path, data
        )

    images: dict[str, Image] = {}
    with ThreadPoolExecutor(2) as pool:
        for path, image in pool.map(with_keeper(make), plan.images):
            images[path] = image
            progress(len(images) / max(len(plan.images), 1), f"{len(images)} of {len(plan.images)} images")
    plan = replace(
        plan,
        crossings=tuple(updates.get(c.id, c) for c in plan.crossings),
        meshes=_measured_meshes(plan, shaped),
    )
    return Carried(_delivered(scene, plan, images, destination, atlases), plan, images)


def _recipe(
    planned: PlannedImage,
    members: Mapping[str, Crossing],
    scene: Scene,
    atlases: Mapping[str, Atlas],
    green_up: bool,
) -> str:
    """What a file is made of, as a key; empty for one that is drawn from a mesh."""
    parts: list[Any] = [
        planned.kind,
        planned.depth,
        planned.encoding,
        planned.width,
        planned.height,
        dict(planned.fill),
        green_up,
    ]
    for channel, crossing in sorted(members.items()):
        if baked(crossing):
            return ""
        made = (
            ingredients(Order(crossing, planned, scene, atlases))
            if crossing.given.texture is not None
            else [crossing.given.factor, crossing.landing.value, beside_image(crossing)]
        )
        parts.append([channel, made, crossing.mark, crossing.reason])
    return digest(parts)


def _write(
    planned: PlannedImage,
    members: Mapping[str, Crossing],
    scene: Scene,
    atlases: Mapping[str, Atlas],
    green_up: bool,
) -> tuple[bytes, dict[str, Crossing]]:
    """A file, and its crossings by channel as measured."""
    planes: dict[str, Any] = {}
    found: dict[str, Crossing] = {}
    fill = dict(planned.fill)
    for channel, crossing in members.items():
        if crossing.given.texture is None and not baked(crossing):
            _fill_constant(planned, channel, crossing, planes, fill)
            continue
        order = Order(crossing, planned, scene, atlases)
        planes[channel] = plane_of(order)
        if not planned.lossy:
            # What the plan measured on the same texels need not be measured again.
            found[channel] = (
                crossing if crossing.error is not None else measured(order, planes[channel], green_up)
            )
    data = encode(
        np.ascontiguousarray(do.pack(planes, fill, planned.depth)), planned.kind, planned.encoding == "srgb"
    )
    if planned.lossy:
        # What a lossy file holds is known only when it is read again.
        texels = pixels(identify("image:written", "written", planned.path, data))
        found = {
            channel: measured(
                Order(members[channel], planned, scene, atlases), do.extract(texels, channel), green_up
            )
            for channel in planes
            if members[channel].given.texture is not None or baked(members[channel])
        }
    return data, found


def _fill_constant(
    planned: PlannedImage, channel: str, crossing: Crossing, planes: dict[str, Any], fill: dict[str, float]
) -> None:
    """A constant that fills a channel; 1 where it stands beside the image and multiplies it."""
    values = (
        (1.0,) * len(crossing.given.factor)
        if beside_image(crossing) and crossing.landing.value
        else crossing.given.factor
    )
    if channel != "rgb":
        fill[channel] = values[0]
        return
    top = 255 if planned.depth == 8 else 65535
    codes = np.round(do.encode_values(np.asarray(values, np.float32), planned.encoding) * top).astype(
        np.uint8 if planned.depth == 8 else np.uint16
    )
    planes["rgb"] = np.broadcast_to(codes, (planned.height, planned.width, 3))


def _delivered(
    scene: Scene, plan: Plan, images: Mapping[str, Image], destination: Sheet, atlases: Mapping[str, Atlas]
) -> Scene:
    by_path = {image.path: image for image in plan.images}
    materials = {
        material.id: _delivered_material(material, plan, by_path, scene, destination, atlases)
        for material in scene.materials.values()
    }
    kept = {image.id: image for image in images.values()}
    environment = (
        scene.environment if destination.lights.environment and scene.environment is not None else None
    )
    if environment is not None:
        kept[environment.image] = scene.images[environment.image]
    backdrop = scene.backdrop if destination.lights.backdrop else None
    if backdrop is not None:
        kept[backdrop.image] = scene.images[backdrop.image]
    travelling = travelling_lamps(scene, plan.lights)
    lights = {
        id: delivered_light(light, destination) or light
        for id, light in scene.lights.items()
        if id in travelling
    }
    emptied = emptied_by(scene, lights)
    nodes = {
        id: node if node.light is None or node.light in lights else replace(node, light=None)
        for id, node in scene.nodes.items()
        if id not in emptied
    }
    drawn = {
        crossing.material for crossing in plan.crossings if baked(crossing) and crossing.given.vertex_color
    }

    def without_colors(p: Primitive) -> bool:
        """Colours that are drawn into an image, or that the source passes over and the destination would
        multiply in.
        """
        return p.colors is not None and (
            p.material in drawn or (not plan.untouched and dropped_colors(scene, destination, p.material))
        )

    meshes = {
        id: replace(
            mesh,
            primitives=tuple(replace(p, colors=None) if without_colors(p) else p for p in mesh.primitives),
        )
        for id, mesh in scene.meshes.items()
    }
    clouds = scene.clouds if destination.structure.clouds else {}
    nodes = {
        id: node if node.cloud in clouds or node.cloud is None else replace(node, cloud=None)
        for id, node in nodes.items()
    }
    return replace(
        scene,
        nodes=nodes,
        clouds=clouds,
        meshes=meshes,
        materials=materials,
        images=kept,
        lights=lights,
        environment=environment,
        backdrop=backdrop,
        loose_images=(),
    )


def _delivered_material(
    material: Material,
    plan: Plan,
    by_path: Mapping[str, PlannedImage],
    scene: Scene,
    destination: Sheet,
    atlases: Mapping[str, Atlas],
) -> Material:
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
            texture = Texture(
                f"image:{landing.image}",
                landing.channel,
                encoding,
                green_up=destination.conventions.normal_green == "up" or landing.input not in VECTORS,
            )
            if before is not None:
                texture = replace(
                    texture,
                    uv_set=before.uv_set,
                    offset=before.offset,
                    rotation_rad=before.rotation_rad,
                    scale=before.scale,
                    wrap=before.wrap,
                )
            if landing.input in VECTORS or landing.input == "occlusion":
                texture = replace(texture, strength=strength_beside(crossing))
            if baked(crossing):
                texture = replace(
                    texture,
                    uv_set=atlases[material.id].uv_set,
                    offset=(0.0, 0.0),
                    rotation_rad=0.0,
                    scale=(1.0, 1.0),
                )
        factor = landing.value if landing.value else (1.0,) * spec.channels
        if texture is not None and not beside_image(crossing):
            factor = INPUTS[landing.input].default if landing.input in VECTORS else (1.0,) * spec.channels
        elif texture is None and any(step.settings.get("mean") for step in crossing.steps):
            factor = _mean(crossing, scene)
        colored = (
            landing.input == "base_color"
            and crossing.given.vertex_color
            and not baked(crossing)
            and destination.materials.vertex_color == "multiplies"
        )
        inputs[landing.input] = Input(factor, texture, vertex_color=colored)
    lifted = next(
        (
            float(step.settings["strength"])
            for c in plan.of(material.id)
            for step in c.steps
            if "strength" in step.settings and c.landing.input
        ),
        1.0,
    )
    if lifted != 1.0:
        own = inputs.get("emission_strength", Input((1.0,)))
        inputs["emission_strength"] = replace(own, factor=(own.factor[0] * lifted,))
    two_sided = material.double_sided or destination.materials.two_sided == "always"
    return replace(
        material,
        inputs=inputs,
        alpha_mode=plan.alpha.get(material.id, "opaque"),  # type: ignore[arg-type]
        alpha_cutoff=cutoff,
        double_sided=two_sided,
    )  # type: ignore[arg-type]


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
