"""Whatever was decided, undone and done again: what the server serves is what would be computed from nothing."""

from __future__ import annotations

import os
import random
from dataclasses import replace
from typing import Any

import numpy as np

from server.moves.bench import Bench
from server.moves.models import Move, Result
from server.moves.store import store
from tests.making import DECLARED, cube, image, material, noise_image, quad, scene
from tests.server.making import ServerTest
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.digest import digest
from trasloco.scene.lit import Light
from trasloco.scene.model import Channel, Clip, Input, Scene, Texture
from trasloco.sheets.library import built_in_sheets

ROUNDS, STEPS = int(os.environ.get("RESULT_ROUNDS", "3")), 8


def stage() -> Scene:
    """A few parts with something of everything that decisions change."""
    painted = replace(
        quad(2.0, "material:cloth"),
        colors=np.random.default_rng(3).uniform(0.2, 1, (4, 4)).astype(np.float32),
    )
    made = (
        material(
            "cloth",
            base_color=Input((0.9, 0.8, 0.7), Texture("image:cloth", "rgb", "srgb"), vertex_color=True),
            roughness=Texture("image:rough", "r"),
        ),
        material("brass", base_color=(0.8, 0.6, 0.3), metalness=(1.0,), emission=(0.1, 0.0, 0.0)),
    )
    lamp = Light("light:lamp", "Lamp", "point", intensity=40.0)
    at = np.eye(4)
    at[:3, 3] = (0, 2, 1)
    given = scene(
        painted,
        cube(0.5, "material:brass"),
        cube(0.3, "material:cloth"),
        materials=made,
        images=(
            noise_image("cloth", 16, 16),
            image("rough", np.arange(64).reshape(8, 8, 1).astype(np.uint8)),
        ),
        names=("Cloth", "Ball", "Box"),
        lights=((lamp, at),),
    )
    drawn = Channel(
        "part:Ball", "translation", np.array([0, 1], np.float32), np.array([[0, 0, 0], [0, 1, 0]], np.float32)
    )
    return replace(given, declares=DECLARED, clips={"clip:lift": Clip("clip:lift", "Lift", (drawn,))})


def pool(given: Scene) -> list[tuple[str, str, Any]]:
    """Decisions of every stage about what the scene holds."""
    parts, materials = [n.id for n in given.parts()], list(given.materials)
    made: list[tuple[str, str, Any]] = []
    for part in parts:
        made += [
            (part, "name", "Renamed"),
            (part, "include", False),
            (part, "include", True),
            (part, "turn_faces", True),
            (part, "normals_angle", 30),
            (part, "normals_angle", 180),
            (part, "weld", 0.01),
            (part, "make_uvs", True),
            (part, "vertex_color", False),
            (part, "place", {"move_m": [0.5, 0, 0]}),
            (part, "stand_on_ground", True),
            (part, "slots_from", "part"),
            (part, "still", False),
            (part, "subdivide", 1),
            (part, "texels_per_metre", 20),
            (part, "center_pivot", True),
            (part, "collision", "box"),
            (part, "diagonals", "shorter"),
            (part, "triangles", 6),
            (part, "largest_side", 32),
        ]
    for m in materials:
        made += [
            (m, "double_sided", True),
            (m, "alpha_mode", "blend"),
            (f"{m}/base_color", "factor", [0.2, 0.4, 0.6]),
            (f"{m}/roughness", "factor", [0.9]),
            (m, "largest_side", 16),
            (m, "name", "Other"),
            (m, "paint", "atlas"),
            (f"{m}/roughness", "include", False),
            (f"{m}/emission", "factor", [0.5, 0.5, 0.5]),
            (m, "received_light", {"paint": True, "lux": 100.0}),
        ]
    made += [
        (materials[0], "use_material", materials[1]),
        (materials[1], "back", materials[0]),
        (f"{materials[0]}/roughness", "invert", True),
        (f"{materials[0]}/base_color", "encoding", "linear"),
        (materials[0], "invent_relief", {"depth": 0.05, "lighten": True}),
        ("scene", "scale", 2.0),
        ("scene", "unit_m", 0.5),
        ("scene", "up_axis", "Z"),
        ("scene", "move_m", [1, 0, 0]),
        ("scene", "join", "material"),
        ("scene", "drawn_together", True),
        ("scene", "geometry_only", True),
        ("scene", "leave_out", [{"kind": "light"}]),
        ("scene", "freeze", {"clip": next(iter(given.clips)), "time_s": 0.5}),
        ("environment", "backdrop", {"color": [0.5, 0.5, 0.5], "level": 10}),
        ("environment", "daylight", None),
        *((light, "intensity", 7.0) for light in given.lights),
        *((light, "enabled", False) for light in given.lights),
        *((light, "kelvin", 3000) for light in given.lights),
        ("proof", "ev100", 3.0),
        ("proof", "limits", [0.5, 1.0, 2.0]),
        ("lightmaps", "paths", 32),
        ("lightmaps", "lightmap_mib", 4.0),
    ]
    return made


class Results(ServerTest):
    def served(self, move: int) -> dict[str, Any]:
        """Everything there is to see of a move, pictures and bytes by their digests."""
        told: dict[str, Any] = {}
        for what in ("inventory", "fit", "light", "lightmaps", "proofs", "families", "shelf", "history"):
            response = self.client.get(f"/api/moves/{move}/{what}")
            told[what] = response.json() if response.status_code == 200 else response.status_code
        held = Bench(Move.objects.get(id=move))
        if isinstance(told["inventory"], dict):
            for view in ("view", "received_view"):
                told[view] = digest(
                    self.client.get(f"/api/blobs/{told['inventory'].pop(view)}.glb").getvalue()
                )
            materials = [m["id"] for m in told["inventory"]["materials"]]
            for m in materials[:2]:
                response = self.client.get(f"/api/moves/{move}/samples", {"material": m, "quick": "true"})
                told[f"sample {m}"] = (
                    {k: v for k, v in response.json().items() if k not in ("seconds",)}
                    if response.status_code == 200
                    else response.status_code
                )
                for name in ("base_color", "roughness"):
                    picture = self.client.get(
                        f"/api/moves/{move}/input.png", {"material": m, "input": name, "side": 16}
                    )
                    told[f"picture {m} {name}"] = (
                        digest(picture.content) if picture.status_code == 200 else picture.status_code
                    )
        told["package"] = {path: digest(data) for path, data in held.package().files.items()}
        told["arrival"] = digest(held.arrival())
        return told

    def from_nothing(self) -> None:
        """An empty store."""
        store.memory.clear()
        Result.objects.all().delete()

    def test_what_is_served_is_what_would_be_computed_from_nothing(self) -> None:
        given = stage()
        data = write_glb(given)
        for number in range(ROUNDS):
            rng = random.Random(f"results {number}")
            destination = rng.choice(
                [name for name, sheet in built_in_sheets().items() if sheet.role == "destination"]
            )
            move = self.made({"stage.glb": data}, destination=destination)
            choices = pool(Bench(Move.objects.get(id=move)).received().scene)
            done: list[str] = []
            for _ in range(STEPS):
                act = rng.choices(("decide", "undo", "redo"), (5, 2, 1))[0]
                if act == "decide":
                    target, field, value = rng.choice(choices)
                    response = self.client.generic(
                        "POST",
                        f"/api/moves/{move}/decisions",
                        _json([{"target": target, "field": field, "value": value}]),
                        content_type="application/json",
                    )
                    self.assertIn(response.status_code, (200, 422), response.content[:300])
                    done.append(
                        f"{target} {field} {value}" if response.status_code == 200 else f"({field} refused)"
                    )
                else:
                    self.ask(f"/moves/{move}/{act}", "POST")
                    done.append(act)
                served = self.served(move)
            self.from_nothing()
            fresh = self.served(move)
            for what in served:
                self.assertEqual(
                    served[what],
                    fresh[what],
                    f"round {number}, {destination}, {what}, after: {'; '.join(done)}",
                )

    def test_a_page_says_another_thing_only_under_another_key(self) -> None:
        data = write_glb(stage())
        for number in range(ROUNDS):
            rng = random.Random(f"keys {number}")
            move = self.made({"stage.glb": data}, destination=rng.choice(("lanterna", "fornace", "taccuino")))
            choices = pool(Bench(Move.objects.get(id=move)).received().scene)
            said: dict[tuple[str, str], Any] = {}
            for _ in range(STEPS):
                target, field, value = rng.choice(choices)
                act = rng.choice(("decide", "decide", "undo", "redo"))
                path = f"/api/moves/{move}/{'decisions' if act == 'decide' else act}"
                body = _json([{"target": target, "field": field, "value": value}])
                self.client.generic("POST", path, body, content_type="application/json")
                for page, key in self.ask(f"/moves/{move}")["keys"].items():
                    if page in ("siblings", "paint", "collision"):
                        continue
                    response = self.client.get(f"/api/moves/{move}/{page}")
                    told = response.json()
                    self.assertEqual(
                        said.setdefault((page, key), told), told, f"{page} after {field} {value}, {act}"
                    )

    def test_an_exposure_leaves_what_it_does_not_touch(self) -> None:
        move = self.made({"stage.glb": write_glb(stage())}, destination="lanterna")
        before = self.ask(f"/moves/{move}")["keys"]
        said = [{"target": "proof", "field": "ev100", "value": 3.0}]
        after = self.ask(f"/moves/{move}/decisions", "POST", said)["keys"]
        self.assertLessEqual(
            {"light", "proofs", "decisions"}, {page for page in after if after[page] != before[page]}
        )
        for page in ("inventory", "fit", "families", "shelf", "again", "handovers"):
            self.assertEqual(after[page], before[page], page)
        said = [{"target": "material:cloth", "field": "largest_side", "value": 16}]
        planned = self.ask(f"/moves/{move}/decisions", "POST", said)["keys"]
        self.assertEqual(planned["inventory"], after["inventory"])
        self.assertNotEqual(planned["fit"], after["fit"])


def _json(value: Any) -> str:
    import json

    return json.dumps(value)
