"""The Teatrino: a travelling marionette theatre, built as a neutral scene from a fixed seed."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np

from demo import surfaces
from demo.house import curtain_parts, house_parts
from demo.plans import MaterialPlan, PartPlan
from demo.props import footlight_parts, lantern_parts, laurel_parts, puppet, trunk_parts, winch_parts
from demo.surfaces import Surface
from trasloco.scene.images import Image, encode, identify
from trasloco.scene.lit import Camera, Environment, Light
from trasloco.scene.model import Declared, Input, Material, Mesh, Node, Primitive, Scene, Texture
from trasloco.scene.relief import normal_from_height
from trasloco.scene.transforms import looking

SEED = 1887


MATERIALS: tuple[MaterialPlan, ...] = (
    MaterialPlan(
        "Curtain velvet",
        "velvet",
        surfaces.velvet,
        (("sheen_color", (0.25, 0.06, 0.08)), ("sheen_roughness", (0.45,))),
    ),
    MaterialPlan("Curtain lining", "lining", surfaces.satin),
    MaterialPlan(
        "Stage boards", "boards", surfaces.boards, (("clearcoat", (0.6,)), ("clearcoat_roughness", (0.12,)))
    ),
    MaterialPlan("Footlight brass", "brass", surfaces.brass),
    MaterialPlan(
        "Chimney glass",
        "glass",
        None,
        (
            ("base_color", (0.96, 0.98, 0.97)),
            ("roughness", (0.05,)),
            ("metalness", (0.0,)),
            ("transmission", (0.95,)),
        ),
        double_sided=True,
    ),
    MaterialPlan(
        "Candle wax",
        "wax",
        None,
        (("base_color", (0.90, 0.80, 0.60)), ("roughness", (0.45,)), ("metalness", (0.0,))),
    ),
    MaterialPlan(
        "Flame",
        "flame",
        None,
        (
            ("base_color", (0.0, 0.0, 0.0)),
            ("roughness", (1.0,)),
            ("metalness", (0.0,)),
            ("emission", (1.0, 0.55, 0.18)),
            ("emission_strength", (220.0,)),
        ),
    ),
    MaterialPlan("Paper laurel", "laurel", surfaces.laurel, alpha_mode="mask", double_sided=True),
    MaterialPlan("Puppet paint", "costume", surfaces.costume, vertex_color=True),
    MaterialPlan("Trunk leather", "leather", surfaces.leather),
    MaterialPlan("Trunk label", "label", surfaces.label),
    MaterialPlan("Winch iron", "iron", surfaces.iron, (("metalness", (0.0,)),), vertex_color=True),
    MaterialPlan("Proscenium plaster", "plaster", surfaces.plaster),
    MaterialPlan("Backdrop canvas", "backdrop", surfaces.backdrop),
    MaterialPlan("Wing canvas", "wing", surfaces.wing),
)


def part_plans() -> list[PartPlan]:
    """Every part of the theatre, in metres, Y up, the audience at +Z."""
    puppets = [
        PartPlan(
            "Pulcino",
            "puppets",
            "Puppet paint",
            puppet((0.85, 0.83, 0.78), (0.62, 0.08, 0.08), 1).turned("y", 10).moved(-0.13, 0.0, 0.10),
        ),
        PartPlan(
            "Fiammetta",
            "puppets",
            "Puppet paint",
            puppet((0.07, 0.27, 0.36), (0.80, 0.52, 0.10), -1).turned("y", -14).moved(0.135, 0.0, 0.03),
        ),
    ]
    return [
        *house_parts(),
        *curtain_parts(),
        *footlight_parts(),
        *lantern_parts(),
        *laurel_parts(),
        *puppets,
        *trunk_parts(),
        *winch_parts(),
    ]


def make_surfaces() -> dict[str, Surface]:
    """The procedural images of every material, by file stem; each has its own seed, so one can change without
    the others.
    """
    wanted = [(k, plan) for k, plan in enumerate(MATERIALS) if plan.make is not None]
    with ThreadPoolExecutor(2) as pool:
        made = pool.map(lambda item: item[1].make(np.random.default_rng(SEED + item[0])), wanted)  # type: ignore[misc]
        return {plan.file: surface_of for (_, plan), surface_of in zip(wanted, made)}


def bytes8(values: Any) -> Any:
    array = np.round(np.clip(values, 0, 1) * 255).astype(np.uint8)
    return array if array.ndim == 3 else array[..., None]


def normal_picture(made: Surface) -> Any:
    """8-bit normal map of a surface's relief, green up."""
    assert made.height is not None
    return bytes8(normal_from_height(made.height.astype(np.float32), made.depth) * 0.5 + 0.5)


def clean_images(made: dict[str, Surface]) -> dict[str, Image]:
    """Images of the clean delivery: colour (with alpha), occlusion/roughness/metalness packed as glTF wants,
    normals green up.
    """
    jobs: list[tuple[str, Any]] = []
    for stem, s in made.items():
        color = bytes8(s.color)
        jobs.append(
            (
                f"{stem}_color",
                np.concatenate([color, bytes8(s.opacity)], axis=2) if s.opacity is not None else color,
            )
        )
        if s.roughness is not None:
            shape = s.roughness.shape
            jobs.append(
                (
                    f"{stem}_orm",
                    bytes8(
                        np.stack(
                            [
                                s.occlusion if s.occlusion is not None else np.ones(shape),
                                s.roughness,
                                s.metalness if s.metalness is not None else np.zeros(shape),
                            ],
                            -1,
                        )
                    ),
                )
            )
        if s.height is not None:
            jobs.append((f"{stem}_normal", normal_picture(s)))
    with ThreadPoolExecutor(2) as pool:
        encoded = list(pool.map(lambda job: encode(job[1], "png"), jobs))
    return {
        f"image:{name}": identify(f"image:{name}", f"{name}.png", f"{name}.png", data)
        for (name, _), data in zip(jobs, encoded)
    }


def clean_material(plan: MaterialPlan, made: dict[str, Surface]) -> Material:
    inputs = {name: Input(value) for name, value in plan.constants}
    surface_of = made.get(plan.file)
    if surface_of is not None:
        inputs["base_color"] = Input(
            (1.0, 1.0, 1.0),
            Texture(f"image:{plan.file}_color", "rgb", "srgb"),
            vertex_color=plan.vertex_color,
        )
        packed = f"image:{plan.file}_orm"
        if surface_of.roughness is not None:
            inputs["roughness"] = Input((1.0,), Texture(packed, "g"))
            inputs.setdefault(
                "metalness",
                Input((1.0,), Texture(packed, "b")) if surface_of.metalness is not None else Input((0.0,)),
            )
        if surface_of.occlusion is not None:
            inputs["occlusion"] = Input((1.0,), Texture(packed, "r"))
        if surface_of.height is not None:
            inputs["normal"] = Input((0.0, 0.0, 1.0), Texture(f"image:{plan.file}_normal", "rgb"))
        if surface_of.opacity is not None:
            inputs["opacity"] = Input((1.0,), Texture(f"image:{plan.file}_color", "a"))
    return Material(f"material:{plan.name}", plan.name, inputs, plan.alpha_mode, 0.5, plan.double_sided)  # type: ignore[arg-type]


def lights_and_cameras() -> tuple[dict[str, Light], dict[str, Camera], list[Node]]:
    """Five footlights, a warm lantern, a late sun; two cameras."""
    lights: dict[str, Light] = {}
    nodes: list[Node] = []

    def put(light: Light, matrix: Any) -> None:
        lights[light.id] = light
        nodes.append(Node(f"part:{light.name}", light.name, None, matrix, light=light.id))

    # Above the chimneys and below the lantern: a point of light a finger's breadth from glass or wax makes
    # specks, not light.
    for k, x in enumerate(np.linspace(-0.64, 0.64, 5)):
        put(
            Light(f"light:footlight {k + 1}", f"Footlight {k + 1}", "point", (1.0, 0.62, 0.30), 11.0),
            looking((x, 0.185, 0.40), (x, 0.3, 0)),
        )
    put(
        Light("light:lantern", "Lantern", "point", (1.0, 0.66, 0.34), 16.0),
        looking((0.24, 0.865, -0.05), (0.24, 0, -0.06)),
    )
    put(
        Light("light:late sun", "Late sun", "sun", (1.0, 0.74, 0.50), 22.0),
        looking((-3.6, 3.4, 2.0), (0, 0.4, 0)),
    )
    cameras = {
        "camera:front row": Camera("camera:front row", "Front row", np.radians(33.5), 16 / 9),
        "camera:from the wings": Camera("camera:from the wings", "From the wings", np.radians(40), 16 / 9),
    }
    nodes.append(
        Node(
            "part:Front row",
            "Front row",
            None,
            looking((0.16, 0.74, 2.95), (0, 0.635, 0)),
            camera="camera:front row",
        )
    )
    nodes.append(
        Node(
            "part:From the wings",
            "From the wings",
            None,
            looking((-0.95, 0.62, 1.45), (0.10, 0.34, 0.10)),
            camera="camera:from the wings",
        )
    )
    return lights, cameras, nodes


def environment_image() -> Image:
    return identify(
        "image:evening", "teatrino-evening.exr", "teatrino-evening.exr", encode(surfaces.evening(), "exr")
    )


def build(
    made: dict[str, Surface], with_environment: bool = True, plans: list[PartPlan] | None = None
) -> Scene:
    """The clean Teatrino as a neutral scene, or other parts in its place."""
    plans = plans or part_plans()
    images = clean_images(made)
    nodes: dict[str, Node] = {}
    meshes: dict[str, Mesh] = {}
    for group in dict.fromkeys(plan.group for plan in plans):
        nodes[f"group:{group}"] = Node(f"group:{group}", group.capitalize(), None, np.eye(4))
    for plan in plans:
        shape = plan.shape
        colors = None
        if shape.colors is not None:
            colors = np.concatenate([shape.colors, np.ones((len(shape.colors), 1))], 1).astype(np.float32)
        primitive = Primitive(
            shape.positions.astype(np.float32),
            shape.triangles.astype(np.uint32),
            shape.normals.astype(np.float32),
            None,
            (shape.uvs.astype(np.float32),),
            colors,
            material=f"material:{plan.material}",
        )
        meshes[f"mesh:{plan.name}"] = Mesh(f"mesh:{plan.name}", plan.name, (primitive,))
        nodes[f"part:{plan.name}"] = Node(
            f"part:{plan.name}", plan.name, f"group:{plan.group}", np.eye(4), mesh=f"mesh:{plan.name}"
        )
    lights, cameras, extra = lights_and_cameras()
    nodes |= {node.id: node for node in extra}
    materials = {f"material:{plan.name}": clean_material(plan, made) for plan in MATERIALS}
    environment = None
    if with_environment:
        picture = environment_image()
        images[picture.id] = picture
        environment = Environment(picture.id, 12.0)
    return Scene(
        "teatrino",
        nodes,
        meshes,
        materials,
        images,
        lights,
        cameras,
        environment=environment,
        unit_m=Declared(1.0, "file"),
        up_axis=Declared("Y", "file"),
    )
