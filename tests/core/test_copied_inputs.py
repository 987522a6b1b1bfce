"""Settings copied, inputs swapped, images made smaller, colour spaces chosen: as decisions that replay."""

import json
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import DECLARED, image, material, noise_image, quad, scene
from trasloco import move
from trasloco.decisions.kinds import in_force, typed
from trasloco.errors import Refused
from trasloco.fit.memory import arrival_bytes, saved_at
from trasloco.fit.model import PlannedImage
from trasloco.mends.copied_inputs import copied_settings, input_value, swapped_inputs
from trasloco.scene.model import Decision, Input, Scene, Texture
from trasloco.scene.resolve import input_values
from trasloco.sheets.library import built_in_sheets

PLAIN, LANTERNA, FORNACE = (built_in_sheets()[name] for name in ("plain", "lanterna", "fornace"))


def two() -> Scene:
    rough = Input((0.5,), Texture("image:r", "g", invert=True, scale=(2.0, 3.0), wrap=("clamp", "repeat")))
    first = material(
        "a",
        alpha_mode="mask",
        base_color=(0.2, 0.3, 0.4),
        roughness=rough,
        opacity=Texture("image:r", "b"),
        attenuation_distance=(float("inf"),),
    )
    second = material("b", base_color=(1.0, 0.0, 0.0), emission=(0.0, 2.0, 0.0), metalness=(0.7,))
    return scene(
        quad(material="material:a"),
        quad(material="material:b"),
        materials=(first, second),
        images=(noise_image("r", 8, 8, 3),),
    )


def mended(given: Scene, *decisions: Decision) -> Scene:
    return move.mend(
        given, PLAIN, [Decision(d.target, d.field, json.loads(json.dumps(d.value))) for d in decisions]
    )


class Copies(TestCase):
    def test_all_settings_arrive_and_survive_json(self) -> None:
        given = two()
        made = mended(given, *copied_settings(given, "material:a", ["material:b", "material:a"]))
        a, b = made.materials["material:a"], made.materials["material:b"]
        self.assertEqual(
            {n: (i.factor, i.texture) for n, i in b.inputs.items()},
            {n: (i.factor, i.texture) for n, i in a.inputs.items()},
        )
        self.assertEqual((b.alpha_mode, b.alpha_cutoff, b.name), (a.alpha_mode, a.alpha_cutoff, "b"))

    def test_only_what_was_chosen_and_a_later_change_wins_whenever_it_was_first_made(self) -> None:
        given = two()
        copy = copied_settings(given, "material:a", ["material:b"], ["roughness", "base_color"])
        made = mended(given, Decision("material:b/base_color", "factor", [0.0, 0.0, 0.0]), *copy)
        self.assertEqual(
            (
                made.materials["material:b"].inputs["base_color"].factor,
                made.materials["material:b"].inputs["metalness"].factor,
            ),
            ((0.2, 0.3, 0.4), (0.7,)),
        )
        again = mended(
            given,
            Decision("material:b/base_color", "factor", [0.0, 0.0, 0.0]),
            *copy,
            Decision("material:b/base_color", "factor", [0.1, 0.1, 0.1]),
        )
        self.assertEqual(again.materials["material:b"].inputs["base_color"].factor, (0.1, 0.1, 0.1))
        self.assertEqual(
            [
                d.value
                for d in in_force([Decision("x", "f", 1), Decision("y", "f", 2), Decision("x", "f", 3)])
            ],
            [2, 3],
        )

    def test_a_copy_does_not_follow_its_source(self) -> None:
        given = two()
        made = mended(
            given,
            *copied_settings(given, "material:a", ["material:b"], ["base_color"]),
            Decision("material:a/base_color", "factor", [0.9, 0.9, 0.9]),
        )
        self.assertEqual(made.materials["material:b"].inputs["base_color"].factor, (0.2, 0.3, 0.4))

    def test_two_inputs_swap_what_they_read(self) -> None:
        given = two()
        made = mended(
            given,
            *swapped_inputs(given, "material:b", "base_color", "emission"),
            *swapped_inputs(given, "material:a", "roughness", "metalness"),
        )
        self.assertEqual(
            (
                made.materials["material:b"].inputs["base_color"].factor,
                made.materials["material:b"].inputs["emission"].factor,
            ),
            ((0.0, 2.0, 0.0), (1.0, 0.0, 0.0)),
        )
        self.assertEqual(
            made.materials["material:a"].inputs["metalness"].texture,
            given.materials["material:a"].inputs["roughness"].texture,
        )
        for pair in (("base_color", "roughness"), ("base_color", "normal"), ("roughness", "nothing")):
            with self.assertRaises(Refused):
                swapped_inputs(given, "material:a", *pair)

    def test_what_is_no_input_is_refused_in_words(self) -> None:
        good = input_value(two().materials["material:a"].inputs["roughness"])
        typed(Decision("material:a/roughness", "input", good))
        for bad in (
            5,
            {},
            {"factor": "x"},
            {"factor": [True]},
            {**good, "texture": {"image": 5}},
            {**good, "texture": {"image": "x", "taste": 1}},
            {**good, "texture": {**good["texture"], "channels": "q"}},
            {**good, "texture": {**good["texture"], "scale": [1]}},
            {**good, "texture": {**good["texture"], "strength": float("nan")}},
        ):
            with self.subTest(bad=bad), self.assertRaises(Refused):
                typed(Decision("material:a/roughness", "input", bad))
        for wrong in (
            {**good, "factor": [1, 2]},
            {**good, "texture": {**good["texture"], "image": "image:none"}},
        ):
            with self.assertRaises(Refused):
                mended(two(), Decision("material:a/roughness", "input", wrong))


class Sizes(TestCase):
    def test_relief_is_as_deep_as_was_decided(self) -> None:
        # A ramp over 16 texels of 16: slope = depth, so the normal's x over z is -depth (up to the ends,
        # which wrap).
        ramp = np.tile((np.arange(16, dtype=np.uint8) * 16)[None, :, None], (16, 1, 1))
        given = replace(
            scene(
                quad(),
                materials=(material(height=Input((1.0,), Texture("image:ramp", "r", strength=0.1))),),
                images=(image("ramp", ramp),),
            ),
            declares=DECLARED,
        )
        for depth in (0.1, 0.4):
            made = move.mend(given, PLAIN, [Decision("material:m/height", "strength", depth)])
            arrival = move.arrive(
                move.package(move.carry(made, move.plan(made, PLAIN, FORNACE), FORNACE), FORNACE), FORNACE
            )
            normal = next(iter(arrival.materials.values())).inputs["normal"]
            middle = input_values("normal", normal, arrival.images[normal.texture.image])[8, 8]  # type: ignore[union-attr]
            self.assertAlmostEqual(float(-middle[0] / middle[2]), depth * 256 / 255, places=2)

    def test_images_are_made_smaller_where_asked_and_what_that_saves(self) -> None:
        given = replace(
            scene(
                quad(),
                materials=(material(base_color=Texture("image:big", "rgb", "srgb")),),
                images=(noise_image("big", 64, 128, 3),),
            ),
            declares=DECLARED,
        )
        plan = move.plan(given, PLAIN, LANTERNA, [Decision("material:m", "largest_side", 32)])
        self.assertEqual((plan.images[0].width, plan.images[0].height), (32, 16))
        self.assertEqual(plan.crossings[0].mark, "close")
        self.assertIn("as asked", plan.crossings[0].reason)
        everything = move.plan(
            given,
            PLAIN,
            FORNACE,
            [Decision("scene", "largest_side", 64), Decision("material:m", "largest_side", None)],
        )
        self.assertEqual((everything.images[0].width, everything.images[0].height), (64, 32))

    def test_memory_on_arrival(self) -> None:
        one = PlannedImage("a.png", "m", "color", 4, 4, 8, "png", "srgb", {}, {})
        self.assertEqual(arrival_bytes(one), 4 * (16 + 4 + 1))
        self.assertEqual(arrival_bytes(replace(one, depth=16)), 8 * (16 + 4 + 1))
        self.assertEqual(saved_at(one, 2), 4 * 16)
        self.assertEqual(saved_at(one, 4), 0)


class Invented(TestCase):
    def test_relief_is_made_up_named_so_and_taken_back(self) -> None:
        given = replace(
            scene(
                quad(),
                materials=(material(base_color=Texture("image:weave", "rgb", "srgb", scale=(3.0, 3.0))),),
                images=(noise_image("weave", 64, 64, 3),),
            ),
            declares=DECLARED,
        )
        wish = Decision("material:m", "invent_relief", {"depth": 0.01, "lighten": True})
        made = mended(given, wish)
        inputs = made.materials["material:m"].inputs
        assert inputs["height"].texture and inputs["base_color"].texture
        self.assertEqual(
            (inputs["height"].texture.scale, inputs["height"].texture.strength), ((3.0, 3.0), 0.01)
        )
        self.assertIn("invented", made.images[inputs["height"].texture.image].name)
        plan = move.plan(made, PLAIN, LANTERNA)
        relief = next(c for c in plan.crossings if c.name == "height")
        self.assertEqual(relief.mark, "close")
        self.assertIn("Invented from the colour", relief.reason)
        before, after = (
            input_values("base_color", i, s.images[i.texture.image])
            for s, i in (
                (given, given.materials["material:m"].inputs["base_color"]),
                (made, inputs["base_color"]),
            )
        )  # type: ignore[union-attr]
        self.assertGreater(float((after - before).mean()), 0.0)
        self.assertGreaterEqual(float((after - before).min()), -1e-3)
        gone = mended(given, wish, Decision("material:m", "invent_relief", None))
        self.assertEqual(gone.materials["material:m"].inputs, given.materials["material:m"].inputs)
        own = replace(given, materials={"material:m": material(normal=Texture("image:weave"))})
        self.assertEqual(mended(own, wish).materials, own.materials)
        with self.assertRaises(Refused):
            mended(replace(given, materials={"material:m": material(base_color=(0.5, 0.5, 0.5))}), wish)
        for value in ({"depth": 0}, {"depth": 2}, {"lighten": True}, {"depth": 0.1, "taste": 1}, 5):
            with self.assertRaises(Refused):
                typed(Decision("material:m", "invent_relief", value))


class Spaces(TestCase):
    def test_a_colour_space_is_chosen_for_an_image(self) -> None:
        # Rec. 2020 green in Rec. 709: BT.2087 gives -0.587641, 1.132900, -0.100579 for its primaries.
        green = image("wide", np.tile(np.array([0, 255, 0], np.uint8), (8, 8, 1)))
        given = replace(
            scene(
                quad(),
                materials=(material(base_color=Texture("image:wide", "rgb", "srgb")),),
                images=(green,),
            ),
            declares=DECLARED,
        )
        made = move.mend(given, PLAIN, [Decision("material:m/base_color", "encoding", "rec2020")])
        texture = made.materials["material:m"].inputs["base_color"].texture
        assert texture is not None
        self.assertEqual(texture.space, "rec2020")
        values = input_values(
            "base_color", made.materials["material:m"].inputs["base_color"], made.images["image:wide"]
        )
        np.testing.assert_allclose(values[0, 0], (-0.5876, 1.1329, -0.1006), atol=2e-3)
        back = move.mend(
            given,
            PLAIN,
            [
                Decision("material:m/base_color", "encoding", "rec2020"),
                Decision("material:m/base_color", "encoding", "srgb"),
            ],
        )
        self.assertEqual(
            back.materials["material:m"].inputs["base_color"],
            replace(given.materials["material:m"].inputs["base_color"], origin="decision"),
        )
