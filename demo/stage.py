"""The Teatrino's stage alone, ready for lightmaps, with two faults planted: a thin cloth that light leaks
past, and a prompter's box that few paths find light in; and a moon that is drawn across.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from demo.plans import PartPlan
from demo.shapes import ball, box, joined
from demo.surfaces import Surface
from demo.teatrino import build, part_plans
from trasloco.scene.lit import Light
from trasloco.scene.model import Channel, Clip, Scene
from trasloco.scene.transforms import looking

LEAKING, BLOTCHY, MOVING = "Stage floor", "Prompter's box", "Paper moon"
GROUPS = ("proscenium", "scenery")


def plans() -> list[PartPlan]:
    """Stage and scenery, the boards as one floor that runs on under everything."""
    kept = [plan for plan in part_plans() if plan.group in GROUPS or plan.name == "Apron"]
    floor = PartPlan(LEAKING, "stage", "Stage boards", box(1.92, 0.03, 1.0, 0.9).moved(0, -0.015, -0.03))
    # Upstage is a dark room: a cloth two and a half centimetres thick on the floor, with a roof and sides
    # behind it.
    cloth = PartPlan("Night cloth", "scenery", "Wing canvas", box(1.9, 0.8, 0.025).moved(0, 0.4, -0.31))
    roof = PartPlan("Loft", "scenery", "Wing canvas", box(1.98, 0.08, 0.26).moved(0, 0.84, -0.41))
    sides = [
        PartPlan(f"Loft side {name}", "scenery", "Wing canvas", box(0.08, 0.82, 0.26).moved(x, 0.41, -0.41))
        for name, x in (("left", -0.97), ("right", 0.97))
    ]
    # Walls and a lid above a low front: the sky is seen through one opening only, and most of the light
    # inside comes off the walls.
    w, h, d, t = 0.24, 0.14, 0.16, 0.012
    hood = joined(
        box(t, h, d).moved(-w / 2, h / 2, 0),
        box(t, h, d).moved(w / 2, h / 2, 0),
        box(w, h, t).moved(0, h / 2, -d / 2),
        box(w, h * 0.3, t).moved(0, h * 0.15, d / 2),
        box(w + t, t, d + t).moved(0, h, 0),
    )
    prompter = PartPlan(BLOTCHY, "stage", "Proscenium plaster", hood.moved(0, 0.0, 0.38))
    moon = PartPlan(MOVING, "scenery", "Proscenium plaster", ball(0.05).moved(0, 0.62, -0.14))
    return [*kept, floor, cloth, roof, *sides, prompter, moon]


def build_stage(made: dict[str, Surface]) -> Scene:
    """The stage as a neutral scene: two footlights, the cameras of the whole."""
    scene = build(made, False, plans())
    worn = {p.material for mesh in scene.meshes.values() for p in mesh.primitives}
    nodes = {id: node for id, node in scene.nodes.items() if node.light is None}
    lights = {}
    for name, x in (("left", -0.45), ("right", 0.45)):
        light = Light(f"light:Footlight {name}", f"Footlight {name}", "point", (1.0, 0.72, 0.42), 9.0)
        lights[light.id] = light
        nodes[f"part:Footlight {name}"] = replace(
            next(iter(scene.nodes.values())),
            id=f"part:Footlight {name}",
            name=f"Footlight {name}",
            parent=None,
            matrix=looking((x, 0.16, 0.40), (x, 0.0, 0.40), (0, 0, 1)),
            light=light.id,
        )
    materials = {id: m for id, m in scene.materials.items() if id in worn}
    images = {t.image for m in materials.values() for given in m.inputs.values() for t in given.textures}
    used = {node.parent for node in nodes.values()} | {
        id for id, node in nodes.items() if not id.startswith("group:")
    }
    drawn = Channel(
        f"part:{MOVING}",
        "translation",
        np.array([0, 6], np.float32),
        np.array([[-0.3, 0, 0], [0.3, 0, 0]], np.float32),
    )
    scene = replace(scene, clips={"clip:moonrise": Clip("clip:moonrise", "Moonrise", (drawn,))})
    return replace(
        scene,
        name="teatrino-stage",
        nodes={id: node for id, node in nodes.items() if id in used},
        materials=materials,
        images={id: i for id, i in scene.images.items() if id in images},
        lights=lights,
        environment=None,
    )
