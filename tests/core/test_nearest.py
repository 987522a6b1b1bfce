"""The nearest look of a material: the table of reflectance against closed forms and the renderer, fits
against what is known of them and against brute force.
"""

from dataclasses import replace
from functools import cache
from typing import Any
from unittest import TestCase

import numpy as np
from scipy.optimize import differential_evolution

from tests.making import image, material, quad, scene
from trasloco import move
from trasloco.errors import Cancelled
from trasloco.fit.nearest.body import mean_light
from trasloco.fit.nearest.fitting import Found, Task, curves, distance, fitted, task_of
from trasloco.fit.nearest.own_light import own_light, own_places
from trasloco.fit.nearest.points import points_of
from trasloco.fit.nearest.response import response
from trasloco.fit.nearest.stand import Stand, places, stand
from trasloco.fit.nearest.starts import mean_f82, starts
from trasloco.fit.nearest.surroundings import COLUMNS, ROWS, Around, lights, three
from trasloco.inputs.table import SCATTERING
from trasloco.light.surroundings import directions, solid_angles
from trasloco.scene.color import luminance
from trasloco.scene.lit import Camera, Environment, Light
from trasloco.scene.model import Input, Material, Node, Scene, Texture
from trasloco.scene.transforms import looking
from trasloco.sheets.library import sheet_named
from trasloco.sheets.model import Sheet
from trasloco.sheets.text import changed

PLAIN = sheet_named("plain")
SKY = 2.0


@cache
def even_sky() -> Stand:
    """The sample's places under a sky of the same radiance everywhere."""
    one = lights(Around(("sky",), np.full((1, ROWS, COLUMNS, 3), SKY), np.ones(1)), 1024)
    normals, viewers, weights = places()
    return Stand(normals, viewers, weights[:, None], one, 3.0)


def under_even_sky(made: Material) -> Any:
    """Radiance over the sky's, (places, 3)."""
    return response([made], even_sky())[0, :, 0] / SKY


def worn(made: Material, *images: Any) -> Scene:
    return scene(quad(), materials=(made,), images=images)


def task_for(given: Scene, sheet: Sheet, keep: tuple[str, ...] = ()) -> Task | None:
    return task_of(given, "material:m", move.plan(given, PLAIN, sheet), sheet, keep)


def found_for(given: Scene, sheet: Sheet) -> tuple[Task, Found]:
    made = task_for(given, sheet)
    assert made is not None
    return made, fitted(made)


class WithinGlass(TestCase):
    def test_where_glass_arrives_clear_it_lets_less_through(self) -> None:
        """A destination with glass and without what it scatters: its weight may change, and is searched from
        what is left of it."""
        rules = {name: {} for name in sheet_named("fornace").materials.inputs if name not in SCATTERING}
        own = changed(sheet_named("fornace"), {"materials.inputs": rules}).model_copy(update={"name": "Own"})
        milk = material(
            transmission=(1.0,),
            thickness=(0.02,),
            attenuation_color=(0.5, 0.5, 0.5),
            attenuation_distance=(0.01,),
            transmission_scatter=(0.6, 0.6, 0.6),
        )
        made = task_for(worn(milk), own)
        assert made is not None
        at = [one.name for one in made.model.free].index("transmission")
        begun = list(starts(made.model, made.points, made.missing))
        place = sum(one.size for one in made.model.free[:at])
        self.assertAlmostEqual(begun[0][place], 1.0)
        self.assertAlmostEqual(begun[1][place], float(np.exp(-0.6 * 2)), places=6)


class Tables(TestCase):
    def test_white_surfaces_under_an_even_sky_stay_as_bright(self) -> None:
        """White furnace: whatever is layered on what, no light is lost or won."""
        white = (1.0, 1.0, 1.0)
        for name, given in {
            "dull": {"specular": (0.0,)},
            "metal": {"metalness": (1.0,), "roughness": (0.4,)},
            "brushed": {"metalness": (1.0,), "roughness": (0.3,), "anisotropy": (0.7,)},
            "glossy": {"roughness": (0.3,)},
            "shone through": {
                "diffuse_transmission": (0.6,),
                "diffuse_transmission_color": Input(white),
                "specular": (0.0,),
            },
            "rough thin glass": {"transmission": (1.0,), "roughness": (0.5,)},
        }.items():
            with self.subTest(name):
                seen = under_even_sky(material(base_color=white, **given))
                self.assertLess(np.abs(seen - 1).max(), 0.05)
                self.assertLess(abs(float((seen[:, 0] * places()[2]).sum()) - 1), 0.012)

    def test_grey_clear_and_covered_are_what_they_say(self) -> None:
        grey = under_even_sky(material(base_color=(0.5, 0.25, 0.125), specular=(0.0,)))
        self.assertLess(np.abs(grey - [0.5, 0.25, 0.125]).max(), 0.012)
        sheet = material(base_color=(0.2, 0.5, 0.8), transmission=(1.0,), ior=(1.0,), roughness=(0.0,))
        self.assertLess(np.abs(under_even_sky(sheet) - [0.2, 0.5, 0.8]).max(), 2e-3)
        black = material(alpha_mode="blend", base_color=(0.0,) * 3, specular=(0.0,), opacity=(0.25,))
        self.assertLess(np.abs(under_even_sky(black) - 0.75).max(), 1e-3)
        cut = replace(black, alpha_mode="mask")
        self.assertLess(np.abs(under_even_sky(cut) - 1.0).max(), 1e-3)

    def test_the_renderer_agrees(self) -> None:
        """Another integration of the same closures: the sample path-traced. Places that shade each other and
        light one another are in it alone, so that it may differ by some per cent.
        """
        for made in (
            material(base_color=(0.4, 0.1, 0.05), roughness=(0.35,)),
            material(base_color=(0.9, 0.7, 0.3), metalness=(1.0,), roughness=(0.4,)),
            material(base_color=(0.2, 0.05, 0.05), sheen_color=(0.6, 0.5, 0.5), sheen_roughness=(0.5,)),
            material(base_color=(0.1,) * 3, clearcoat=(1.0,), clearcoat_roughness=(0.2,), roughness=(0.6,)),
        ):
            on = stand(512)
            table = np.einsum("nec,ne->c", response([made], on)[0], on.weights)
            traced = mean_light(made)
            self.assertLess(
                np.abs(table - traced).max(), 0.12 * traced.mean(), f"{made.inputs}: {table} {traced}"
            )

    def test_the_mean_of_an_edge_tinted_metal_is_its_integral(self) -> None:
        """Integral of 2 c F(c) over c, F as OpenPBR Surface 1.1 writes the F82-tint model."""
        c = (np.arange(200_000) + 0.5) / 200_000
        for f0, edge in ((0.9, 0.5), (0.5, 0.2), (0.3, 1.0)):
            at = 1 / 7
            schlick = f0 + (1 - f0) * (1 - c) ** 5
            there = f0 + (1 - f0) * (1 - at) ** 5
            f = schlick - c * (1 - c) ** 6 * (there - there * edge) / (at * (1 - at) ** 6)
            meant = float(np.mean(2 * c * f))
            self.assertAlmostEqual(float(mean_f82(np.array(f0), np.array(edge))), meant, 4)


class OwnLight(TestCase):
    """The scene's own light is where it is seen, as strong as it is told."""

    def lit(self, *lights: Any, **more: Any) -> Scene:
        given = scene(quad(2.0), materials=(material(double_sided=True),), lights=lights, **more)
        eye = looking((0.0, 3.0, 4.0), (0.0, 0.0, 0.0))
        nodes = {**given.nodes, "part:eye": Node("part:eye", "Eye", None, eye, camera="camera:eye")}
        return replace(given, nodes=nodes, cameras={"camera:eye": Camera("camera:eye", "Eye", 0.6)})

    def test_lamps_are_as_strong_as_the_inverse_square_says(self) -> None:
        """Two points, 2 and 4 m away, of 100 and 200 cd: 25 and 12.5 lux."""
        near = (Light("light:a", "A", "point", intensity=100.0), looking((2, 0, 0), (0, 0, 0)))
        far = (Light("light:b", "B", "point", intensity=200.0), looking((-4, 0, 0), (0, 0, 0)))
        made = own_light(self.lit(near, far), "material:m")
        assert made is not None
        light = luminance(made) * solid_angles(ROWS, COLUMNS)
        right = directions(ROWS, COLUMNS)[..., 0] > 0
        self.assertAlmostEqual(float(light[right].sum() / light[~right].sum()), 2.0, delta=0.02)
        middle = np.unravel_index(np.argmax(light * right), light.shape)
        self.assertGreater(directions(ROWS, COLUMNS)[middle][0], 0.98)
        self.assertAlmostEqual(float(light.sum()), float(self.booth().sum()), delta=1e-6 * light.sum())

    def booth(self) -> Any:
        return luminance(three().pictures[0]) * solid_angles(ROWS, COLUMNS)

    def test_a_camera_that_looks_from_the_side_turns_it(self) -> None:
        sun = (Light("light:sun", "Sun", "sun", intensity=5.0), looking((0, 0, 5), (0, 0, 0)))
        given = self.lit(sun)  # from +Z, where the camera stands too: behind the eye
        made = own_light(given, "material:m")
        assert made is not None
        at = np.unravel_index(np.argmax(luminance(made)), (ROWS, COLUMNS))
        self.assertGreater(directions(ROWS, COLUMNS)[at][2], 0.98)
        aside = looking((4.0, 0.0, 0.0), (0.0, 0.0, 0.0))  # now it comes from the left of what is seen
        nodes = {**given.nodes, "part:eye": replace(given.nodes["part:eye"], matrix=aside)}
        made = own_light(replace(given, nodes=nodes), "material:m")
        assert made is not None
        at = np.unravel_index(np.argmax(luminance(made)), (ROWS, COLUMNS))
        self.assertLess(directions(ROWS, COLUMNS)[at][0], -0.98)

    def test_surroundings_are_seen_where_the_renderer_sees_them(self) -> None:
        """A bright quarter of the sky: as much of it as the turn says lies to the right of the eye."""
        texels = np.full((32, 64, 3), 0.01, np.float32)
        texels[8:16, 40:48] = 5.0
        picture = image("sky", texels, "exr")
        for turn in (0.0, 1.1, -2.3):
            given = self.lit(environment=Environment("image:sky", 1.0, turn))
            given = replace(given, images={"image:sky": picture})
            made = own_light(given, "material:m")
            assert made is not None
            at = np.unravel_index(np.argmax(luminance(made)), (ROWS, COLUMNS))
            seen = directions(ROWS, COLUMNS)[at]
            meant = directions(32, 64, turn)[11:13, 43:45].mean(axis=(0, 1))
            self.assertGreater(float(seen @ meant) / float(np.linalg.norm(meant)), 0.985)

    def test_places_are_those_that_face_the_camera(self) -> None:
        found = own_places(self.lit(), "material:m")
        assert found is not None
        normals, viewers, weights = found
        np.testing.assert_allclose(normals, np.tile([0.0, 1.0, 0.0], (len(normals), 1)), atol=1e-6)
        self.assertAlmostEqual(float(weights.sum()), 1.0)
        mean = weights @ viewers
        np.testing.assert_allclose(mean / np.linalg.norm(mean), [0.0, 0.6, 0.8], atol=0.03)
        self.assertIsNone(own_light(self.lit(), "material:m"))


class Points(TestCase):
    def test_two_colours_side_by_side_are_points_with_their_shares(self) -> None:
        texels = np.full((32, 32, 3), 255, np.uint8)
        texels[:, :8] = (255, 0, 0)
        made = material(base_color=Texture("image:two", encoding="srgb"))
        found = points_of(worn(made, image("two", texels)), made)
        red = found.values["base_color"][:, 1] < 0.02
        self.assertAlmostEqual(float(found.shares[red].sum()), 0.25, delta=0.05)
        self.assertAlmostEqual(float(found.shares.sum()), 1.0)

    def test_numbers_alone_are_one_point(self) -> None:
        made = material(base_color=(0.1, 0.2, 0.3))
        found = points_of(worn(made), made)
        self.assertEqual(len(found), 1)
        np.testing.assert_allclose(found.values["base_color"], [[0.1, 0.2, 0.3]])


class Fits(TestCase):
    def test_what_can_be_said_otherwise_is_found(self) -> None:
        """A thin grey sheet of index 1 is nothing but a cover: black, without highlight, 1 - grey of it."""
        sheet = material(base_color=(0.6,) * 3, transmission=(1.0,), ior=(1.0,), roughness=(0.3,))
        _, found = found_for(worn(sheet), sheet_named("lanterna"))
        self.assertGreater(found.copied, 3)
        self.assertLess(found.fitted, 0.35)
        self.assertAlmostEqual(found.fit.changes["opacity"].offset[0], 0.4, delta=0.05)
        self.assertLess(max(found.fit.changes["base_color"].offset), 0.05)

    def test_a_deep_body_is_its_colour(self) -> None:
        """Light that comes out where it went in: the colour of subsurface is the albedo (OpenPBR Surface
        1.1).
        """
        wax = material(
            base_color=(0.5,) * 3,
            roughness=(0.5,),
            subsurface=(1.0,),
            subsurface_color=Input((0.8, 0.5, 0.3)),
            subsurface_radius=(0.0004,),
        )
        _, found = found_for(worn(wax), sheet_named("taccuino"))
        got = np.array(found.fit.changes["base_color"].offset)
        self.assertLess(np.abs(got - [0.8, 0.5, 0.3]).max(), 0.05)
        self.assertGreater(found.copied, 5 * found.fitted)

    def test_lacquer_comes_nearer_and_near_the_best_there_is(self) -> None:
        lacquer = material(
            base_color=(0.1, 0.01, 0.01), roughness=(0.5,), clearcoat=(1.0,), clearcoat_roughness=(0.1,)
        )
        given, found = found_for(worn(lacquer), sheet_named("taccuino"))
        self.assertLess(found.fitted, 0.5 * found.copied)
        measure = given.measure(64)
        best = differential_evolution(
            measure.mean, list(map(tuple, given.model.bounds)), maxiter=25, popsize=8, seed=1, polish=False
        )
        there = measure.mean(given.model.place_of(found.fit.changes))
        self.assertLess(there, float(best.fun) + 0.2)

    def test_what_is_kept_stays_and_what_loses_nothing_is_not_fitted(self) -> None:
        lacquer = material(base_color=(0.1, 0.01, 0.01), clearcoat=(1.0,), clearcoat_roughness=(0.1,))
        taccuino = sheet_named("taccuino")
        kept = task_for(worn(lacquer), taccuino, ("roughness", "metalness"))
        assert kept is not None
        self.assertEqual({one.name for one in kept.model.free}, {"base_color"})
        self.assertIsNone(task_for(worn(material(base_color=(0.5, 0.2, 0.1))), taccuino))
        self.assertIsNone(task_for(worn(replace(lacquer, unlit=True)), taccuino))
        dull = material(base_color=(0.5,) * 3)  # its metalness does not arrive, and says nothing
        self.assertIsNone(task_for(worn(dull), sheet_named("sipario")))

    def test_what_is_cut_is_cut_where_the_source_cuts(self) -> None:
        leaf = replace(
            material(alpha_mode="mask", opacity=(0.4,), sheen_color=(0.5, 0.5, 0.5)), alpha_cutoff=0.3
        )
        given = task_for(worn(leaf), sheet_named("lanterna"))
        assert given is not None
        self.assertLess(distance(given, {}), 5)  # there, and not seen through

    def test_an_index_beyond_all_that_is_searched_stays(self) -> None:
        for index, free in ((1.5, True), (3.0, False), (0.0, False)):
            given = task_for(worn(material(ior=(index,), sheen_color=(0.5,) * 3)), sheet_named("plancia"))
            assert given is not None
            self.assertEqual("ior" in {one.name for one in given.model.free}, free)

    def test_it_tells_how_far_it_is_and_stops_where_it_is_asked(self) -> None:
        lacquer = material("m", base_color=(0.2, 0.02, 0.02), roughness=(0.5,), clearcoat=(1.0,))
        made = task_for(worn(lacquer), sheet_named("taccuino"))
        assert made is not None
        heard: list[tuple[float, str]] = []
        fitted(made, 4, lambda done, words: heard.append((done, words)))
        done = [one for one, _ in heard]
        self.assertEqual(done, sorted(done))
        self.assertTrue(done[0] == 0 and 0.8 < done[-1] <= 1)
        looks = 0

        def stop(done: float, words: str) -> None:
            nonlocal looks
            looks += words == "looking at the sample"
            if looks == 2:
                raise Cancelled

        with self.assertRaises(Cancelled):
            fitted(made, 4, stop)
        self.assertEqual(looks, 2)

    def test_by_hand_and_over_the_angles(self) -> None:
        velvet = material(base_color=(0.3, 0.02, 0.03), sheen_color=(0.7, 0.6, 0.6), sheen_roughness=(0.4,))
        given, found = found_for(worn(velvet), sheet_named("lanterna"))
        self.assertAlmostEqual(distance(given, {}), found.copied, 6)
        self.assertAlmostEqual(distance(given, found.fit.changes), found.fitted, 1)
        over = curves(given, found.fit.changes)
        self.assertEqual(sorted(over.degrees), list(over.degrees))
        self.assertGreater(over.meant[-1], over.copied[-1])  # fibres shine where they are seen along
