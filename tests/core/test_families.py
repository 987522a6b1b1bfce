"""Which image is which: the corpus, content against names, sets, slots."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import image, material, noise_image, quad, scene
from tests.map_names import HABITS, Truth, alone, deliveries, mixed
from trasloco.decisions.carrying_out import mended
from trasloco.fit.families.recognise import Recognised, recognised
from trasloco.fit.families.sets import looked_at, proposals, sets_of, siblings
from trasloco.scene.model import Input, Scene, Texture
from trasloco.sheets.library import sheet_named


def truth_of(found: Recognised) -> Truth:
    return tuple((fill.input, fill.channels, fill.invert) for fill in found.fills)


class Corpus(TestCase):
    def test_names_of_many_habits_are_read_right_or_not_at_all(self) -> None:
        seed = 20261
        self.assertGreaterEqual(len(HABITS), 15)
        for label, made in (
            ("side by side", deliveries(seed)),
            ("one set alone", alone(seed)),
            ("habits drawn at random", mixed(seed, 160)),
        ):
            right = wrong = unsure = 0
            for _, names in made:
                for found in recognised(list(names)):
                    right += found.sure and truth_of(found) == names[found.name]
                    wrong += found.sure and truth_of(found) != names[found.name]
                    unsure += not found.sure
            total = right + wrong + unsure
            print(
                f"\n    {label}: {total} names, {right / total:.2%} right, {wrong / total:.2%} wrong, {unsure / total:.2%} not sure (seed {seed})"
            )
            with self.subTest(label):
                self.assertGreaterEqual(total, 2000)
                self.assertGreaterEqual(right / total, 0.98)
                self.assertLessEqual(wrong / total, 0.005)

    def test_what_could_be_two_things_is_left_open(self) -> None:
        for name in (
            "metal_roughness.png",
            "wing_d.png",
            "IMG_2041.jpg",
            "x.png",
            "coat.png"[:-4] + "_a.png",
        ):
            with self.subTest(name):
                found = recognised([name])[0]
                self.assertFalse(found.sure, found)
                self.assertTrue(found.reason)

    def test_green_tiles_sizes_and_versions(self) -> None:
        gl, dx, tiled, sized, late = recognised(
            [
                "door_normal_gl.png",
                "door_nor_dx.png",
                "door_color_1024.png",
                "lamp_color_1024.png",
                "lamp_rough_v012.png",
                "door_color_1001.png",
            ]
        )[:5]
        self.assertEqual([gl.fills[0].green_up, dx.fills[0].green_up], [True, False])
        turned = recognised(
            ["door_NormalOpenGL.png", "lamp_NormalDirectX.png", "door_mtl.png", "door_BaseColor.png"]
        )
        self.assertEqual([t.fills[0].green_up for t in turned[:2]], [True, False])
        self.assertEqual(turned[2].kinds, ("metalness",))
        self.assertEqual((tiled.tile, sized.tile, sized.size, late.version), (1024, 0, "1024", 12))
        self.assertEqual(recognised(["a_normal_y+.png"])[0].fills[0].green_up, True)
        self.assertEqual(recognised(["wall_color_u3_v2.png"])[0].tile, 1013)


class Content(TestCase):
    def test_texels_overrule_a_name_and_stand_in_for_one(self) -> None:
        flat = np.zeros((32, 32, 3), np.uint8)
        flat[...] = (128, 128, 255)
        normals = image("lid_rough", flat)
        unnamed = image("scan 7", flat)
        grey = image("lid_normal", np.full((32, 32, 3), 90, np.uint8))
        images = [normals, unnamed, grey]
        told = dict(
            zip([i.id for i in images], recognised([i.path for i in images], looked_at(images)), strict=True)
        )
        self.assertEqual(told[normals.id].kinds, ())
        self.assertIn("directions", told[normals.id].reason)
        self.assertEqual(told[unnamed.id].kinds, ("normal",))
        self.assertEqual(told[grey.id].kinds, ())


class Sets(TestCase):
    def images(self, *names: str) -> list:  # type: ignore[type-arg]
        return [
            replace(noise_image(name.partition(".")[0]), id=f"image:{name}", name=name, path=name)
            for name in names
        ]

    def test_siblings_of_one_image_and_the_better_of_two(self) -> None:
        images = self.images(
            "chest_color_2k.png",
            "chest_color_4k.png",
            "chest_normal_gl.png",
            "chest_normal_dx.png",
            "chest_rough_v1.png",
            "chest_rough_v2.png",
            "lamp_color.png",
        )
        found = siblings(images, "image:chest_color_2k.png")
        assert found is not None
        self.assertEqual(
            {fill.input: member.image for fill, member in found.filling()},
            {
                "base_color": "image:chest_color_4k.png",
                "normal": "image:chest_normal_gl.png",
                "roughness": "image:chest_rough_v2.png",
            },
        )
        self.assertEqual(sum(bool(m.passed_over) for m in found.members), 3)
        self.assertEqual([one.name for one in sets_of(images)[0]], ["chest", "lamp"])

    def filled(self) -> Scene:
        plain = material("Trunk Lid", base_color=Input((1.0, 1.0, 1.0)), metalness=Input((0.0,)))
        other = material(
            "Wax", base_color=Input((1.0, 1.0, 1.0), Texture("image:wax_albedo.png", "rgb", "srgb"))
        )
        made = scene(
            quad(),
            quad(),
            names=("A", "B"),
            materials=(plain, other),
            images=tuple(
                self.images(
                    "trunk_lid_col.png",
                    "trunk_lid_gloss.png",
                    "trunk_lid_nrm_dx.png",
                    "trunk_lid_metal.png",
                    "wax_albedo.png",
                    "wax_rough.png",
                    "spare_color.png",
                )
            ),
        )
        return made

    def test_sets_are_proposed_for_slots_and_fill_only_what_is_empty(self) -> None:
        made = self.filled()
        told = {made.materials[p.material].name: p for p in proposals(made)}
        self.assertEqual(set(told), {"Trunk Lid", "Wax"})
        self.assertEqual(
            {f.input for f in told["Trunk Lid"].fillings}, {"base_color", "roughness", "normal", "metalness"}
        )
        self.assertEqual({f.input for f in told["Wax"].fillings}, {"roughness"})
        self.assertIn("reads wax_albedo.png", told["Wax"].reason)

    def test_a_channel_that_says_nothing_is_not_proposed(self) -> None:
        packed = np.full((8, 8, 3), 255, np.uint8)
        packed[..., 1:] = np.random.default_rng(3).integers(0, 255, (8, 8, 2))
        shaded = packed.copy()
        shaded[:4, :, 0] = 90
        for texels, wanted in ((packed, set()), (shaded, {"occlusion"})):
            picture = replace(
                image("lid_orm", texels), id="image:lid_orm.png", name="lid_orm.png", path="lid_orm.png"
            )
            made = scene(
                quad(),
                materials=(
                    material("Lid", roughness=Texture(picture.id, "g"), metalness=Texture(picture.id, "b")),
                ),
                images=(picture,),
            )
            self.assertEqual({f.input for p in proposals(made) for f in p.fillings}, wanted)

    def test_accepting_a_proposal_fills_the_inputs(self) -> None:
        made = self.filled()
        decisions = [d for p in proposals(made) for f in p.fillings for d in f.decisions]
        after = mended(made, sheet_named("plain"), decisions)
        lid = next(m for m in after.materials.values() if m.name == "Trunk Lid")
        roughness, normal, color, metalness = (
            lid.inputs[n] for n in ("roughness", "normal", "base_color", "metalness")
        )
        assert roughness.texture and normal.texture and color.texture and metalness.texture
        self.assertEqual(
            (roughness.texture.invert, normal.texture.green_up, color.texture.encoding, metalness.factor),
            (True, False, "srgb", (1.0,)),
        )
        self.assertEqual(proposals(after), [])
