"""What is to blame: shares of planted losses, Shapley's value, and that taking everything back leaves
nothing.
"""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import cube, image, material, noise_image, quad, scene, sky
from trasloco import move
from trasloco.proof.causes import find_causes, shapley
from trasloco.proof.compare import compare
from trasloco.proof.proving import prove_views
from trasloco.proof.undoing import suspects
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, render
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Input, Scene, Texture
from trasloco.scene.transforms import looking
from trasloco.sheets.library import built_in_sheets

SHEETS = built_in_sheets()
VIEW = View("view", looking((1.2, 1.6, 2.2), (0, 0.1, 0)), 0.7)
QUALITY = Quality(96, 64, 24, 3)


def stage() -> Scene:
    floor = material("floor", base_color=(0.6, 0.55, 0.5), roughness=(0.6,))
    box = material(
        "box", base_color=Input((1.0, 1.0, 1.0), Texture("image:paint", "rgb", "srgb")), roughness=(0.4,)
    )
    lamp = Light("light:lamp", "Lamp", "point", intensity=6.0)
    boxed = cube(0.5, "material:box")
    boxed = replace(
        boxed,
        positions=boxed.positions + np.array([0, 0.25, 0], np.float32),
        uvs=(boxed.positions[:, :2] + 0.5,),
    )
    return scene(
        quad(4, "material:floor"),
        boxed,
        materials=(floor, box),
        images=(noise_image("paint", 16, 16), sky(0.4)),
        names=("Floor", "Box"),
        lights=((lamp, looking((0.8, 1.5, 1), (0, 0, 0))),),
        environment=Environment("image:sky", 1.0),
    )


def with_input(given: Scene, id: str, name: str, value: Input) -> Scene:
    made = given.materials[id]
    return given.with_material(replace(made, inputs={**made.inputs, name: value}))


class Suspects(TestCase):
    def test_equal_scenes_have_none(self) -> None:
        self.assertEqual(suspects(stage(), stage()), [])

    def test_every_planted_difference_is_one_and_taking_it_back_mends_it(self) -> None:
        given = stage()
        arrival = with_input(given, "material:floor", "base_color", Input((0.3, 0.3, 0.3)))
        arrival = with_input(arrival, "material:box", "base_color", Input((0.5, 0.5, 0.5)))
        arrival = replace(
            arrival, lights={"light:lamp": replace(arrival.lights["light:lamp"], intensity=18.0)}
        )
        found = suspects(given, arrival)
        self.assertEqual(
            {s.id for s in found}, {"material:floor/base_color", "material:box/base_color", "part:Lamp"}
        )
        self.assertIn("3 times", next(s.reason for s in found if s.kind == "light"))
        for one in found:
            arrival = one.undo(arrival)
        self.assertEqual(suspects(given, arrival), [])
        self.assertLess(prove_views(given, arrival, [VIEW], QUALITY).worst.comparison.mean, 0.02)

    def test_what_the_importer_does_by_itself_is_named(self) -> None:
        given = stage()
        painted = {
            id: replace(
                mesh,
                primitives=tuple(
                    replace(
                        p, colors=np.tile(np.array([[1, 0.6, 0.6, 1]], np.float32), (len(p.positions), 1))
                    )
                    for p in mesh.primitives
                ),
            )
            for id, mesh in given.meshes.items()
        }
        arrival = with_input(
            replace(given, meshes=painted),
            "material:floor",
            "base_color",
            Input((0.6, 0.55, 0.5), vertex_color=True),
        )
        found = suspects(given, arrival)
        self.assertEqual([s.id for s in found], ["material:floor/base_color"])
        self.assertIn("vertex colours", found[0].reason)
        self.assertLess(
            prove_views(given, found[0].undo(arrival), [VIEW], QUALITY).worst.comparison.mean, 0.02
        )

    def test_what_is_cut_away_is_nobodys_difference(self) -> None:
        texels = np.full((64, 64, 4), 200, np.uint8)
        texels[:, :32, 3] = 0
        other = texels.copy()
        other[:, :32, :3] = 10
        pictures = [image("leaf", one) for one in (texels, other)]
        leaf = material(
            "box",
            alpha_mode="mask",
            base_color=Texture("image:leaf", "rgb", "srgb"),
            opacity=Texture("image:leaf", "a"),
        )
        given, arrival = (
            replace(stage().with_material(leaf), images={**stage().images, "image:leaf": picture})
            for picture in pictures
        )
        self.assertEqual(suspects(given, arrival), [])
        other[:, 32:, :3] = 10
        self.assertEqual(
            [
                s.label
                for s in suspects(
                    given, replace(arrival, images={**arrival.images, "image:leaf": image("leaf", other)})
                )
            ],
            ["Base colour"],
        )

    def test_a_lost_lamp_and_lost_backs_are_found(self) -> None:
        given = stage()
        arrival = replace(
            given, nodes={id: replace(n, light=None) for id, n in given.nodes.items()}, lights={}
        )
        self.assertEqual(
            [(s.kind, s.reason) for s in suspects(given, arrival)], [("light", "It did not arrive.")]
        )
        seen_behind = given.with_material(replace(given.materials["material:box"], double_sided=True))
        self.assertEqual([s.kind for s in suspects(seen_behind, given)], ["sides"])

    def test_what_stands_in_for_an_input_is_taken_back_with_it(self) -> None:
        given = stage()
        glass = replace(
            given.materials["material:box"],
            inputs={**given.materials["material:box"].inputs, "transmission": Input((0.6,))},
            double_sided=True,
        )
        given = given.with_material(glass)
        plan = move.plan(given, SHEETS["plain"], SHEETS["lanterna"], ())
        arrival = move.arrive(
            move.package(move.carry(given, plan, SHEETS["lanterna"]), SHEETS["lanterna"]), SHEETS["lanterna"]
        )
        self.assertEqual(
            arrival.materials[next(i for i, m in arrival.materials.items() if m.name == "box")].alpha_mode,
            "blend",
        )
        found = [s for s in suspects(given, arrival, plan) if s.where == "box"]
        self.assertEqual([s.label for s in found], ["Transmission"])
        mended = next(m for m in found[0].undo(arrival).materials.values() if m.name == "box")
        self.assertEqual(
            (mended.alpha_mode, "opacity" in mended.inputs, mended.inputs["transmission"].factor),
            ("opaque", False, (0.6,)),
        )

    def test_an_input_is_taken_back_with_what_says_how_it_works(self) -> None:
        given = stage()
        for name, value in {
            "sheen_color": Input((0.6, 0.6, 0.6)),
            "sheen_roughness": Input((0.7,)),
            "clearcoat_roughness": Input((0.3,)),
        }.items():
            given = with_input(given, "material:floor", name, value)
        arrival = given.with_material(stage().materials["material:floor"])
        found = suspects(given, arrival)
        # A coat's roughness says nothing where there is no coat.
        self.assertEqual([s.label for s in found], ["Sheen"])
        self.assertEqual(suspects(given, found[0].undo(arrival)), [])
        # The roughness alone is nothing, the sheen without it something else: together they are the whole
        # difference.
        made = find_causes(given, arrival, found, VIEW, QUALITY, 2.0)
        self.assertEqual(made.causes[0].suspect.label, "Sheen")
        self.assertAlmostEqual(made.causes[0].share, made.mean, delta=0.05)

    def test_it_is_told_how_far_it_is_while_each_picture_is_drawn(self) -> None:
        """Who asks it to stop is heard within a piece of a picture, of 16,384 samples."""
        given = stage()
        arrival = with_input(given, "material:floor", "base_color", Input((0.2, 0.55, 0.5)))
        found = suspects(given, arrival)
        told: list[float] = []
        many = replace(QUALITY, samples=512)
        find_causes(given, arrival, found, VIEW, many, 2.0, lambda fraction, words: told.append(fraction))
        pictures = 3  # the reference, the arrival, and the arrival without what was changed
        pieces = (QUALITY.width // 2) * (QUALITY.height // 2) * (many.samples // 2) / 16384
        self.assertEqual(len(found), 1)
        self.assertEqual(told, sorted(told))
        self.assertLessEqual(max(np.diff([0.0, *told])), 1.5 / pieces / pictures)
        self.assertAlmostEqual(told[-1], 1.0)

    def test_many_lamps_that_fare_alike_are_one_cause(self) -> None:
        given = stage()
        lamps = {
            f"part:lamp {k}": replace(
                given.nodes["part:Lamp"], id=f"part:lamp {k}", name=f"lamp {k}", light=f"light:{k}"
            )
            for k in range(4)
        }
        many = replace(
            given,
            nodes={**{i: n for i, n in given.nodes.items() if n.light is None}, **lamps},
            lights={f"light:{k}": replace(given.lights["light:lamp"], id=f"light:{k}") for k in range(4)},
        )
        dark = replace(many, nodes={i: replace(n, light=None) for i, n in many.nodes.items()}, lights={})
        found = suspects(many, dark)
        self.assertEqual([(s.where, s.reason) for s in found], [("4 lamps", "They did not arrive.")])
        self.assertEqual(suspects(many, found[0].undo(dark)), [])


class Shares(TestCase):
    def test_shapley_of_a_glove_game(self) -> None:
        # One left glove, two right ones; a pair is worth 1: the left one gets 2/3, each right one 1/6.
        value = lambda held: float(0 in held and (1 in held or 2 in held))  # noqa: E731
        made = shapley([0, 1, 2], value)
        for player, expected in {0: 2 / 3, 1: 1 / 6, 2: 1 / 6}.items():
            self.assertAlmostEqual(made[player], expected, places=12)

    def test_a_single_cause_has_the_whole_difference(self) -> None:
        given = stage()
        arrival = with_input(given, "material:floor", "base_color", Input((0.3, 0.3, 0.3)))
        made = find_causes(given, arrival, suspects(given, arrival), VIEW, QUALITY, 2.0)
        self.assertEqual(len(made.causes), 1)
        self.assertAlmostEqual(made.causes[0].share, made.mean, delta=0.02)
        self.assertLess(abs(made.remainder), 0.02)

    def test_two_that_hide_each_other_share_what_is_left(self) -> None:
        # The floor is half as light and the lamp twice as strong: taken back alone, either makes the floor
        # worse; together they are the difference.
        given = replace(stage(), environment=None)
        arrival = with_input(given, "material:floor", "base_color", Input((0.3, 0.275, 0.25)))
        arrival = replace(
            arrival, lights={"light:lamp": replace(arrival.lights["light:lamp"], intensity=12.0)}
        )
        made = find_causes(given, arrival, suspects(given, arrival), VIEW, QUALITY, 2.0)
        self.assertEqual(len(made.causes), 2)
        self.assertAlmostEqual(sum(c.share for c in made.causes), made.mean, delta=0.05)
        self.assertLess(abs(made.remainder), 0.05)

    def test_bounced_light_belongs_to_its_cause(self) -> None:
        # The box is out of sight; what is seen of it is its colour on the floor.
        red = replace(
            stage(), lights={}, nodes={id: replace(n, light=None) for id, n in stage().nodes.items()}
        )
        red = with_input(red, "material:box", "base_color", Input((0.9, 0.05, 0.05)))
        grey = with_input(red, "material:box", "base_color", Input((0.05, 0.05, 0.9)))
        beside = View("floor", looking((0.6, 0.3, 0.0), (0.34, 0, 0)), 0.3)
        made = find_causes(red, grey, suspects(red, grey), beside, QUALITY, -1.0)
        self.assertGreater(made.causes[0].share, 0.5)
        self.assertTrue(made.causes[0].significant)

    def test_causes_of_a_real_move(self) -> None:
        given = stage()
        plan = move.plan(given, SHEETS["plain"], SHEETS["taccuino"], ())
        arrival = move.arrive(
            move.package(move.carry(given, plan, SHEETS["taccuino"]), SHEETS["taccuino"]), SHEETS["taccuino"]
        )
        proof = move.prove(given, arrival, [VIEW], QUALITY)
        made = move.blame(given, arrival, plan, VIEW, proof.worst.ev100, QUALITY)
        self.assertAlmostEqual(
            made.mean, proof.worst.comparison.mean, delta=0.35 * proof.worst.comparison.mean + 0.3
        )
        self.assertAlmostEqual(sum(c.share for c in made.causes) + made.remainder, made.mean, places=6)


class Measures(TestCase):
    def test_paired_numbers_leave_a_third_of_the_error_or_less(self) -> None:
        given = stage()
        arrival = with_input(given, "material:floor", "roughness", Input((0.62,)))
        flats = flatten(given), flatten(arrival)
        means: dict[bool, list[float]] = {True: [], False: []}
        for k in range(12):
            quality = replace(QUALITY, samples=4, seed=k)
            a = render(flats[0], VIEW, quality)
            for paired in (True, False):
                b = render(flats[1], VIEW, quality if paired else replace(quality, seed=k + 100))
                means[paired].append(
                    float(
                        np.mean(
                            compare(
                                a,
                                b,
                                2.0,
                                ("material:floor", "material:box", "none"),
                                ("part:Floor", "part:Box"),
                                quick=True,
                            ).delta_e
                        )
                    )
                )
        print(
            f"\n    standard error of the mean ΔE, paired over independent: {np.std(means[True]) / np.std(means[False]):.2f}",
            flush=True,
        )
        self.assertLess(float(np.std(means[True])), float(np.std(means[False])) / 3 + 1e-9)

    def test_flip_and_similarity_of_known_pairs(self) -> None:
        same = render(flatten(stage()), VIEW, Quality(64, 48, 8, 2))
        made = compare(
            same, same, 2.0, ("material:floor", "material:box", "none"), ("part:Floor", "part:Box")
        )
        self.assertEqual((made.mean, made.flip_mean), (0.0, 0.0))
        self.assertAlmostEqual(made.ssim, 1.0, places=6)
        black = replace(same, even=same.even * 0, odd=same.odd * 0)
        worst = compare(
            same, black, 2.0, ("material:floor", "material:box", "none"), ("part:Floor", "part:Box")
        )
        self.assertGreater(worst.flip_mean, 0.3)
        self.assertLess(worst.ssim, 0.5)
        self.assertTrue(worst.materials[0].significant)
        self.assertFalse(made.materials[0].significant)
