"""The delivered scene: the reference in the destination's terms, with the images that were written."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from trasloco.fit.atlas import Atlas
from trasloco.fit.crossings import baked, beside_image, has_step, strength_beside
from trasloco.fit.lights import delivered_light, travelling_lamps
from trasloco.fit.model import Crossing, Plan, PlannedImage
from trasloco.fit.on_points import colors_on_points, written_materials
from trasloco.fit.one_set import kept_sets, onto_first
from trasloco.fit.passages import dropped_colors
from trasloco.fit.tree import as_kept, left_behind, names_there
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.scene.images import Image
from trasloco.scene.model import Input, Material, Mesh, Primitive, Scene, Texture
from trasloco.scene.resolve import input_values
from trasloco.sheets.model import Sheet


def delivered_scene(
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
    names = names_there(scene, destination, left_behind(scene, destination, lights))
    nodes = {
        id: node if node.light is None or node.light in lights else replace(node, light=None)
        for id, node in scene.nodes.items()
    }
    drawn = {
        crossing.material for crossing in plan.crossings if baked(crossing) and crossing.given.vertex_color
    }

    def without_colors(p: Primitive) -> bool:
        """Colours that are drawn into an image, or that the source passes over and the destination would
        multiply in.
        """
        return p.colors is not None and (
            not destination.structure.colors
            or p.material in drawn
            or (not plan.untouched and dropped_colors(scene, destination, p.material))
        )

    on_points = written_materials(plan.crossings)

    def colored(p: Primitive) -> Primitive:
        if p.material is not None and p.material in on_points:
            return replace(p, colors=colors_on_points(p, scene, on_points[p.material]))
        return replace(p, colors=None) if without_colors(p) else p

    meshes = {
        id: replace(mesh, primitives=tuple(colored(p) for p in mesh.primitives))
        for id, mesh in scene.meshes.items()
    }
    clouds = scene.clouds if destination.structure.clouds else {}
    nodes = {
        id: node if node.cloud in clouds or node.cloud is None else replace(node, cloud=None)
        for id, node in nodes.items()
    }
    if not destination.cameras.taken:
        nodes = {id: replace(node, camera=None) for id, node in nodes.items()}
    if not destination.structure.normals:
        meshes = {
            id: replace(m, primitives=tuple(replace(p, normals=None, tangents=None) for p in m.primitives))
            for id, m in meshes.items()
        }
    if destination.structure.uv_sets == "none":
        meshes = {
            id: replace(m, primitives=tuple(replace(p, uvs=()) for p in m.primitives))
            for id, m in meshes.items()
        }
    elif destination.structure.uv_sets == "one":
        meshes, materials = _on_one_set(meshes, materials, plan, atlases)
    made = replace(
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
        cameras=scene.cameras if destination.cameras.taken else {},
    )
    return as_kept(made, names, destination)


def _on_one_set(
    meshes: Mapping[str, Mesh], materials: Mapping[str, Material], plan: Plan, atlases: Mapping[str, Atlas]
) -> tuple[dict[str, Mesh], dict[str, Material]]:
    """Meshes whose primitives have the one UV set that their material's images lie on, and materials that say
    so.
    """
    kept = kept_sets(plan.crossings)

    def with_one(p: Primitive) -> Primitive:
        number = kept.get(p.material or "", 0)
        if number is None:
            number = atlases[p.material or ""].uv_set
        return replace(p, uvs=p.uvs[number : number + 1] or p.uvs[:1])

    return (
        {id: replace(m, primitives=tuple(with_one(p) for p in m.primitives)) for id, m in meshes.items()},
        {
            id: replace(m, inputs={name: given.retextured(onto_first) for name, given in m.inputs.items()})
            for id, m in materials.items()
        },
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
                    wrap=before.wrap if destination.materials.wraps != "repeat" else ("repeat", "repeat"),
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
        written = has_step(crossing, "points")
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
        inputs[landing.input] = Input(factor, texture, vertex_color=colored or written)
    lifted = next(
        (
            float(step.settings["emission_strength"])
            for c in plan.of(material.id)
            for step in c.steps
            if "emission_strength" in step.settings and c.landing.input
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
