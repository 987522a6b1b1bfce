"""What is worth doing, over HTTP: measured before it is done, done by one press, and held against the next
proof.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import numpy as np

from tests.core.test_lightmap_faults import walled
from tests.core.test_paint import ball
from tests.fits import small_fits
from tests.making import cube, material, noise_image, quad, scene
from tests.server.making import ServerTest
from trasloco.formats.gltf_write import write_glb
from trasloco.progress import silent
from trasloco.results.deeds import deeds_of
from trasloco.results.in_memory import route_of
from trasloco.scene.lit import Light
from trasloco.scene.model import Decision, Input, Texture
from trasloco.scene.transforms import looking
from trasloco.sheets.library import sheet_named

BOX = "material:Lacquer"


class Worth(ServerTest):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(small_fits())

    def moved(self) -> int:
        lacquer = material(
            "Lacquer",
            base_color=(0.12, 0.01, 0.01),
            roughness=(0.5,),
            clearcoat=(1.0,),
            clearcoat_roughness=(0.2,),
        )
        paint = material("Paint", base_color=Input((1.0,) * 3, Texture("image:paint", "rgb", "srgb")))
        painted = cube(0.8, material="material:Paint")
        painted = replace(painted, uvs=(painted.positions[:, :2],))
        sun = (Light("light:sun", "Sun", "sun", intensity=30.0), looking((1, 2, 3), (0, 0, 0)))
        given = scene(
            cube(material=BOX),
            replace(painted, positions=painted.positions + 1.0),
            materials=(lacquer, paint),
            images=(noise_image("paint", 64, 64),),
            lights=(sun,),
        )
        return self.made({"wagon.glb": write_glb(given)}, destination="taccuino")

    def proved(self, move: int) -> dict[str, Any]:
        settings = {"width": 96, "height": 64, "samples": 8, "view": "Overview"}
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "prove", "settings": settings})
        self.assertEqual([job.refusal for job in self.work()], [None])
        return dict(self.ask(f"/moves/{move}/proofs")["proofs"][0])

    def asked(self, move: int, proof: dict[str, Any]) -> dict[str, Any]:
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "worth", "settings": {"proof": proof["id"]}})
        self.assertEqual([job.refusal for job in self.work()], [None])
        return dict(self.ask(f"/moves/{move}/proofs")["proofs"][0]["figures"]["worth"])

    def test_deeds_are_measured_done_and_held_to_account(self) -> None:
        move = self.moved()
        small = {"target": "material:Paint", "field": "largest_side", "value": 16}
        self.ask(f"/moves/{move}/decisions", "POST", [small])
        proof = self.proved(move)
        found = self.asked(move, proof)
        deeds = {one["id"]: one for one in found["deeds"]}
        self.assertEqual(set(deeds), {f"nearest:{BOX}", "size:material:Paint"})
        look, size = deeds[f"nearest:{BOX}"], deeds["size:material:Paint"]
        self.assertGreater(look["gain"], 0)
        self.assertEqual((look["free"], look["mib"]), (True, 0))
        # Four channels of eight bits at 64 and at 16 a side, with all smaller levels down to one texel.
        levels = (sum(4**k for k in range(7)) - sum(4**k for k in range(5))) * 4 / 2**20
        self.assertAlmostEqual(size["mib"], levels, 6)
        self.assertEqual((size["free"], size["triangles"]), (False, 0))

        take = f"/proofs/{proof['id']}/take"
        self.ask(take, "POST", {"ids": ["nearest:nobody"]}, expect=422)
        self.ask(take, "POST", {"ids": [look["id"]]})
        told = self.ask(f"/moves/{move}/proofs")
        self.assertAlmostEqual(told["proofs"][0]["figures"]["worth"]["taken"]["predicted"], look["gain"])
        self.assertEqual(told["how_right"], [])  # not before it is measured
        self.ask(take, "POST", {"ids": [size["id"]]}, expect=422)  # of what was delivered then

        again = self.proved(move)
        (right,) = self.ask(f"/moves/{move}/proofs")["how_right"]
        self.assertEqual((right["proof"], right["next"]), (proof["number"], again["number"]))
        self.assertAlmostEqual(
            right["measured"], proof["figures"]["views"][0]["mean"] - again["figures"]["views"][0]["mean"]
        )
        # Predictions are drawn at half the size, from as few samples: near, not equal.
        self.assertAlmostEqual(
            right["measured"], right["predicted"], delta=max(0.1, 0.35 * right["predicted"])
        )
        left = self.asked(move, again)
        self.assertEqual({one["id"] for one in left["deeds"]}, {"size:material:Paint"})

    def test_repairs_that_wait_are_told_where_they_show(self) -> None:
        """A box whose faces look in: its source draws no backs, its destination draws all, so that one shows its
        inside and the other its outside. Turned, both show the same.
        """
        wood = material("Wood", base_color=(0.5, 0.2, 0.1), roughness=(0.6,))
        lamp = (Light("light:p", "P", "point", intensity=40.0), looking((1.5, 2, 2.5), (0, 0, 0)))
        box, floor = cube(material="material:Wood", outward=False), quad(4.0, "material:Wood")
        floor = replace(floor, positions=floor.positions - np.array([0, 0.8, 0], np.float32))
        given = scene(box, floor, materials=(wood,), lights=(lamp,), names=("Box", "Floor"))
        move = self.made({"box.glb": write_glb(given)}, destination="plancia")
        proof = self.proved(move)
        found = self.asked(move, proof)
        (turn,) = found["deeds"]
        self.assertEqual((turn["id"], turn["free"]), ("mend:faces_away", True))
        self.assertGreater(turn["gain"], 1)
        self.assertAlmostEqual(turn["gain"], found["mean"], delta=0.1)  # nothing is left
        self.assertEqual(found["all_free"], ["mend:faces_away"])
        self.ask(f"/proofs/{proof['id']}/take", "POST", {"ids": [turn["id"]]})
        self.proved(move)
        (right,) = self.ask(f"/moves/{move}/proofs")["how_right"]
        self.assertAlmostEqual(right["measured"], right["predicted"], delta=0.35 * right["predicted"])

    def test_guesses_tell_how_much_of_what_is_meant_they_would_change(self) -> None:
        """A helper that may be meant shows; flat sides that get the normals they have anyway do not."""
        wood = material("Wood", base_color=(0.5, 0.2, 0.1), roughness=(0.6,))
        lamp = (Light("light:p", "P", "point", intensity=40.0), looking((1.5, 2, 2.5), (0, 0, 0)))
        box, floor = cube(material="material:Wood"), quad(4.0, "material:Wood")
        floor = replace(floor, positions=floor.positions - np.array([0, 0.8, 0], np.float32))
        given = scene(box, floor, materials=(wood,), lights=(lamp,), names=("Box", "old helper"))
        move = self.made({"box.glb": write_glb(given)}, destination="plancia")
        waiting = {one["kind"] for one in self.ask(f"/moves/{move}/inventory")["findings"]}
        self.assertLessEqual({"stray", "missing_normals"}, waiting)
        proof = self.proved(move)
        found = self.asked(move, proof)
        self.assertEqual(found["deeds"], [])
        (stray,) = found["guesses"]
        self.assertEqual(stray["where"].split(" · ")[0], "old helper")
        self.assertGreater(stray["change"], 1)
        # Taken, it changes both sides alike: the arrival is as near as it was.
        (mend,) = (
            one["mends"][0]
            for one in self.ask(f"/moves/{move}/inventory")["findings"]
            if one["kind"] == "stray"
        )
        self.ask(f"/moves/{move}/decisions", "POST", mend["decisions"])
        again = self.proved(move)
        self.assertLess(again["figures"]["views"][0]["mean"], stray["change"] / 4)
        self.assertEqual(self.asked(move, again)["guesses"], [])

    def test_faults_of_lightmaps_are_baked_to_tell_what_mending_them_brings(self) -> None:
        given, wish = walled(0.03, 12.0)
        move = self.made({"room.glb": write_glb(given)}, destination="lanterna")
        asked = [("lightmaps", "lightmaps", True), ("lightmaps", "paths", 24), ("lightmaps", "bounces", 0)]
        asked += [(part, "texels_per_metre", density) for part, density in wish.density.items()]
        asked += [(part, "receives", False) for part in wish.left_out]
        wanted = [{"target": target, "field": field, "value": value} for target, field, value in asked]
        self.ask(f"/moves/{move}/decisions", "POST", wanted)
        proof = self.proved(move)
        (leak,) = (one for one in self.asked(move, proof)["deeds"] if one["id"] == "bake:leak")
        self.assertGreater(leak["gain"], 2 * leak["noise"])
        self.assertNotEqual(leak["download_mib"], 0)
        self.assertGreater(leak["seconds"], 0)
        self.assertFalse(leak["free"])
        # What is baked to be measured is not kept: the lightmaps are those of before until it is done.
        self.assertIn("leak", {one["kind"] for one in self.ask(f"/moves/{move}/lightmaps")["faults"]})
        self.ask(f"/proofs/{proof['id']}/take", "POST", {"ids": ["bake:leak"]})
        again = self.proved(move)
        (right,) = self.ask(f"/moves/{move}/proofs")["how_right"]
        self.assertEqual(right["next"], again["number"])
        self.assertAlmostEqual(
            right["measured"], right["predicted"], delta=max(0.1, 0.35 * right["predicted"])
        )

    def test_limits_tell_their_triangles_and_many_are_tried_together(self) -> None:
        lone = scene(ball(16), materials=(material(),), names=("Ball",))
        move = self.made({"ball.glb": write_glb(lone)}, destination="taccuino")
        few = {"target": "part:Ball", "field": "triangles", "value": 100}
        self.ask(f"/moves/{move}/decisions", "POST", [few])
        settings = {"width": 64, "height": 48, "samples": 4, "view": "Overview", "stand_in": True}
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "prove", "settings": settings})
        self.work()
        proof = self.ask(f"/moves/{move}/proofs")["proofs"][0]
        (deed,) = self.asked(move, proof)["deeds"]
        self.assertEqual(deed["id"], "triangles:part:Ball")
        left = self.ask(f"/moves/{move}/fit")["meshes"][0]["after"]
        self.assertEqual(deed["triangles"], len(ball(16).indices) - left)
        route = route_of(
            {"balls.glb": write_glb(scene(*[cube()] * 7, materials=(material(),)))},
            sheet_named("plain"),
            sheet_named("taccuino"),
            [],
        )
        limits = [Decision(part.id, "triangles", 6) for part in route.reference().parts()]
        (all_of_them,) = deeds_of(route.otherwise(limits), silent)
        self.assertEqual((all_of_them.id, len(all_of_them.decisions)), ("limits", 7))

    def test_what_a_smaller_file_spared_is_told_with_what_it_would_bring_back(self) -> None:
        move = self.moved()
        asked = {"target": "material:Paint", "field": "file_kind", "value": {"kind": "jpg", "loss": 8.0}}
        self.ask(f"/moves/{move}/decisions", "POST", [asked])
        deeds = {one["id"]: one for one in self.asked(move, self.proved(move))["deeds"]}
        lifted = deeds["file:material:Paint"]
        self.assertEqual(
            lifted["decisions"], [{"target": "material:Paint", "field": "file_kind", "value": None}]
        )
        # Noise of 64 × 64 texels of three bytes packs badly as PNG and well where eight ΔE may go.
        self.assertTrue(2000 < lifted["download_mib"] * 2**20 < 64 * 64 * 3 * 1.1, lifted)
        self.assertEqual((lifted["free"], lifted["mib"], lifted["seconds"]), (False, 0, 0))

    def test_what_nothing_lights_is_measured_in_the_light_that_stands_in(self) -> None:
        lacquer = material("Lacquer", base_color=(0.12, 0.01, 0.01), clearcoat=(1.0,), roughness=(0.6,))
        move = self.made(
            {"box.glb": write_glb(scene(cube(material=BOX), materials=(lacquer,)))}, destination="taccuino"
        )
        settings = {"width": 64, "height": 48, "samples": 4, "view": "Overview", "stand_in": True}
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "prove", "settings": settings})
        self.work()
        found = self.asked(move, self.ask(f"/moves/{move}/proofs")["proofs"][0])
        self.assertGreater(found["mean"], 0.1)
        self.assertTrue(all(one["gain"] != 0 for one in found["deeds"]))

    def test_where_nothing_is_to_be_done_that_is_said(self) -> None:
        plain = scene(cube(material=BOX), materials=(material("Lacquer", base_color=(0.3, 0.2, 0.1)),))
        move = self.made({"box.glb": write_glb(plain)}, destination="taccuino")
        settings = {"width": 48, "height": 32, "samples": 2, "view": "Overview", "stand_in": True}
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "prove", "settings": settings})
        self.work()
        proof = self.ask(f"/moves/{move}/proofs")["proofs"][0]
        found = self.asked(move, proof)
        self.assertEqual((found["deeds"], found["free_gain"]), ([], 0))
        self.ask(f"/moves/{move}/jobs", "POST", {"kind": "worth", "settings": {"proof": 10**6}})
        self.assertIn("no such proof", str(self.work()[-1].refusal))
