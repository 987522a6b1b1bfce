"""Faults of lightmaps: planted, found, and mended by what is offered."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from demo.stage import BLOTCHY, LEAKING
from tests.core.test_bake import grey
from tests.core.test_lightmaps import bake, box, walled
from tests.making import demo_stage, image, quad, scene, sky
from trasloco import move
from trasloco.light.lightmaps.bake_wish import Wish
from trasloco.light.lightmaps.faults import Fault, cures
from trasloco.light.lightmaps.lightmaps import Baked
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Decision
from trasloco.scene.transforms import looking


def faults_of(baked: Baked, kind: str) -> list[Fault]:
    return [fault for fault in baked.faults.found if fault.kind == kind]


class Faults(TestCase):
    def test_what_mends_all_is_the_most_that_any_part_needs(self) -> None:
        asked = [
            Fault("noise", f"part:{k}", 0.1, 3.0, "", "", "", (Decision("lightmaps", "paths", paths),))
            for k, paths in enumerate((256, 1024, 512))
        ]
        asked += [
            Fault("coarse", part, 0.1, 3.0, "", "", "", (Decision(part, "texels_per_metre", value),))
            for part, value in (("part:a", 20.0), ("part:b", 30.0))
        ]
        self.assertEqual(
            cures(asked),
            {
                "noise": [Decision("lightmaps", "paths", 1024)],
                "coarse": [
                    Decision("part:a", "texels_per_metre", 20.0),
                    Decision("part:b", "texels_per_metre", 30.0),
                ],
            },
        )

    def test_a_thin_wall_leaks_is_found_and_its_cure_mends_it(self) -> None:
        given, wish = walled(0.03, 12.0)
        wish = replace(wish, samples=24)
        found = faults_of(bake(given, wish), "leak")
        self.assertEqual([fault.part for fault in found], ["part:Floor"])
        self.assertIn("texels a metre", found[0].cure)
        cured = replace(wish, density={"part:Floor": float(found[0].decisions[0].value)})
        self.assertEqual(faults_of(bake(given, cured), "leak"), [])

    def test_planted_leaks_are_recalled_where_they_are(self) -> None:
        # Texels on the dark side of a wall without thickness, one away from it, are lit by bilinear reading:
        # all along the wall, and nowhere else.
        given, wish = walled(0.0, 16.0)
        baked = bake(given, wish)
        leak = baked.faults.maps[0]["leak"] > 2.3
        covered = baked.gathered[0].covered
        lux = baked.lux[0].mean(axis=-1)
        edges = (
            (covered.centre[:, :-1] >= 0)
            & (covered.centre[:, 1:] >= 0)
            & (np.abs(np.diff(lux, axis=1)) > 0.4 * np.minimum(lux[:, :-1], lux[:, 1:]) + 1.0)
        )
        edges_down = (
            (covered.centre[:-1] >= 0)
            & (covered.centre[1:] >= 0)
            & (np.abs(np.diff(lux, axis=0)) > 0.4 * np.minimum(lux[:-1], lux[1:]) + 1.0)
        )
        if edges_down.sum() > edges.sum():
            planted, near = edges_down, leak[:-1] | leak[1:]
        else:
            planted, near = edges, leak[:, :-1] | leak[:, 1:]
        self.assertGreater(planted.sum(), 30)
        self.assertGreaterEqual((planted & near).sum() / planted.sum(), 0.95)
        self.assertEqual(len(faults_of(baked, "leak")), 1)

    def test_a_sound_scene_raises_no_alarm(self) -> None:
        open_floor = scene(
            quad(4.0, "material:floor"),
            box((0.5, 0.5, 0.5), (0.8, 0.25, 0.3), "block"),
            materials=(grey("floor"), grey("block")),
            images=(sky(3.0),),
            environment=Environment("image:sky", 1.0),
            names=("Floor", "Block"),
        )
        baked = bake(
            open_floor, Wish(True, 256, 1, density={"part:Floor": 16.0, "part:Block": 24.0}, budget_mib=16)
        )
        self.assertEqual([(f.kind, f.part) for f in baked.faults.found], [])

    def test_too_few_paths_are_told_and_more_mend_it(self) -> None:
        given, wish = walled(0.3, 10.0, lamp=False)
        bright = replace(given, images={"image:sky": image("sky", _speckled(), "exr")})
        few = bake(bright, replace(wish, samples=2, denoised=False))
        self.assertTrue(faults_of(few, "noise"))
        many = bake(bright, replace(wish, samples=1024))
        self.assertEqual(faults_of(many, "noise"), [])

    def test_steps_are_told_where_light_outruns_the_texels(self) -> None:
        lamp = Light("light:l", "Lamp", "point", intensity=3.0)
        given = scene(
            quad(1.2, "material:floor"),
            materials=(grey("floor"),),
            lights=((lamp, looking((0, 0.15, 0), (0, 0, 0), (0, 0, 1))),),
            names=("Floor",),
        )
        coarse = faults_of(bake(given, Wish(True, 16, 0, density={"part:Floor": 12.0})), "coarse")
        self.assertEqual([fault.part for fault in coarse], ["part:Floor"])
        self.assertGreater(float(coarse[0].decisions[0].value), 22.0)
        self.assertEqual(
            faults_of(bake(given, Wish(True, 16, 0, density={"part:Floor": 80.0})), "coarse"), []
        )


def _speckled() -> np.ndarray:
    """A sky lit by a few small bright places."""
    made = np.full((32, 64, 3), 0.2, np.float32)
    made[6, ::16] = 60.0
    return made


class Demonstration(TestCase):
    def test_the_stages_planted_faults_are_found_and_their_cures_mend_them(self) -> None:
        read = move.receive({"stage.glb": demo_stage().read_bytes()}).scene
        given = replace(
            read, images={**read.images, "image:sky": sky(2.0)}, environment=Environment("image:sky", 1.0)
        )
        wish = Wish(True, 16, 2, budget_mib=0.25)
        first = bake(given, wish)
        names = {
            kind: {given.nodes[fault.part].name for fault in faults_of(first, kind)}
            for kind in ("leak", "noise")
        }
        self.assertIn(LEAKING, names["leak"])
        self.assertIn(BLOTCHY, names["noise"])
        leak = next(fault for fault in faults_of(first, "leak") if given.nodes[fault.part].name == LEAKING)
        closed = bake(given, replace(wish, density={leak.part: float(leak.decisions[0].value)}))
        self.assertNotIn(LEAKING, {given.nodes[fault.part].name for fault in faults_of(closed, "leak")})
        noise = next(fault for fault in faults_of(first, "noise") if given.nodes[fault.part].name == BLOTCHY)
        calm = bake(given, replace(wish, samples=int(noise.decisions[0].value)))
        self.assertNotIn(BLOTCHY, {given.nodes[fault.part].name for fault in faults_of(calm, "noise")})
