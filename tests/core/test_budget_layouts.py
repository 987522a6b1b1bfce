"""Materials drawn together under a budget: draw calls counted, what that loses, what else can be smaller then,
and what is read of it by others.
"""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_budget import at_most, route, with_mips
from tests.core.test_looks_alone import DOCUMENT
from tests.drawn import middles, moved, of_slots, read_by_others, texels_at, trunk
from tests.fits import small_budgets
from tests.making import image, material, quad
from trasloco.progress import silent
from trasloco.results import budget_layouts
from trasloco.results.budget_layouts import TOGETHER, Within
from trasloco.results.deeds import deeds_of
from trasloco.results.pages.budget import budget_out
from trasloco.results.route import Route
from trasloco.results.weights import RESOURCES
from trasloco.scene.model import Decision, Input, Mesh, Node, Scene, Texture
from trasloco.scene.transforms import compose
from trasloco.sheets.library import sheet_named

DRAWS = RESOURCES.index("draws")


def fair() -> Scene:
    """A board of fine squares beside one of a single colour, two slots each, the first board worn twice."""
    y, x = np.mgrid[:128, :128]
    fine = np.where(((x // 16 + y // 16) % 2)[..., None] > 0, 230, 20).astype(np.uint8).repeat(3, 2)
    even = np.full((128, 128, 3), (180, 60, 40), np.uint8)
    worn = [
        material(name, base_color=Input((1.0,) * 3, Texture(f"image:{name}", "rgb", "srgb")))
        for name in ("Fine", "Even")
    ]
    rim = material("Rim", base_color=(0.2, 0.3, 0.25))
    given = of_slots(
        [moved(quad(), (0.0, 0.0, 0.0), worn[0].id), moved(quad(), (1.2, 0.0, 0.0), rim.id)],
        (*worn, rim),
        image("Fine", fine),
        image("Even", even),
    )
    slots = moved(quad(), (0.0, 0.0, 1.2), worn[1].id), moved(quad(), (1.2, 0.0, 1.2), rim.id)
    nodes = {
        "part:Plain": Node("part:Plain", "Plain", None, np.eye(4), mesh="mesh:Plain"),
        "part:Again": Node("part:Again", "Again", None, compose((0.0, 0.0, -1.2)), mesh="mesh:Trunk"),
    }
    return replace(
        given,
        meshes={**given.meshes, "mesh:Plain": Mesh("mesh:Plain", "Plain", slots)},
        nodes={**given.nodes, **nodes},
    )


class Together(TestCase):
    def setUp(self) -> None:
        self.enterContext(small_budgets())

    def test_few_draw_calls_are_had_by_drawing_what_slots_wear(self) -> None:
        at = route(trunk()).otherwise([], sheet_named("taccuino"))
        layouts = budget_layouts.measured(at)
        self.assertEqual([one.decisions for one in layouts], [(), (TOGETHER,)])
        # Three slots of one part, or the one that is drawn of them.
        self.assertEqual([one.found.now[DRAWS] for one in layouts], [3, 1])
        free = budget_layouts.share_out(layouts, at_most())
        self.assertEqual((free.chosen, free.loss), ([], 0.0))
        within = budget_layouts.share_out(layouts, at_most(draws=1))
        self.assertEqual((within.chosen, within.shared.fits), ([TOGETHER], True))
        self.assertEqual(within.loss, layouts[1].loss)
        self.assertFalse(budget_layouts.share_out(layouts, at_most(draws=1), ["scene"]).shared.fits)
        whole = budget_layouts.tried(at, within)
        self.assertEqual((whole.taken[DRAWS], whole.loss), (1, within.loss))

        decided = budget_layouts.decisions_of(at, within)
        after = at.otherwise([*at.decisions, *decided])
        self.assertEqual(budget_layouts.decisions_of(after, within), [])
        self.assertEqual(budget_layouts.standing(after, layouts), (layouts[1].found.now, within.loss))
        self.assertEqual(budget_layouts.standing(at, layouts), (layouts[0].found.now, 0.0))
        self.assertEqual(budget_layouts.measured_key(after), budget_layouts.measured_key(at))
        self.assertEqual(
            budget_layouts.decisions_of(after, free), [Decision("scene", "drawn_together", None)]
        )
        # As another library reads it: one mesh with one picture, of the band's colour where the band is.
        (data,) = (data for path, data in after.package().files.items() if path.endswith(".glb"))
        mesh = read_by_others(data)
        got = texels_at(mesh, mesh.visual.material.baseColorTexture, middles(100, 1.2))[:, :3]
        linear = ((np.clip(got, 0.04045, 1) + 0.055) / 1.055) ** 2.4
        np.testing.assert_allclose(linear, np.tile((0.8, 0.6, 0.2), (100, 1)), atol=0.01)
        self.assertEqual(after.accounts().unaccounted, [])

    def test_images_that_are_drawn_are_made_smaller_by_what_their_own_pixels_lose(self) -> None:
        at = route(fair())
        own, drawn = budget_layouts.measured(at)
        self.assertEqual((own.found.now[DRAWS], drawn.found.now[DRAWS]), (6, 3))
        items = {item.name: item for item in drawn.found.items}
        self.assertEqual(set(items), {"Trunk", "Plain"})
        sides = {image.wearer: image.width for image in at.otherwise([TOGETHER]).plan().images}
        for item in items.values():
            count = sum(image.wearer == item.id for image in at.otherwise([TOGETHER]).plan().images)
            self.assertEqual(item.rungs[0].choice.costs[0], count * with_mips(sides[item.id]))
        # Fine squares are blurred when they are smaller; a single colour is what it was, up to its edge.
        fine, plain = (items[name].rungs[-1].choice.loss for name in ("Trunk", "Plain"))
        self.assertGreater(fine, max(5 * plain, 0.005))

        # Both limits are kept, by the images that lose less; only those get smaller.
        limits = at_most(draws=3, memory=0.75 * drawn.found.now[0])
        within = budget_layouts.share_out([own, drawn], limits)
        self.assertTrue(within.shared.fits)
        layout, *smaller = within.chosen
        self.assertEqual(layout, TOGETHER)
        self.assertEqual({d.target for d in smaller}, {"part:Plain"})
        after = at.otherwise(within.chosen)
        widths = {image.wearer: image.width for image in after.plan().images}
        self.assertEqual(widths["together:mesh:Trunk"], sides["together:mesh:Trunk"])
        self.assertLess(widths["together:mesh:Plain"], sides["together:mesh:Plain"])
        self.assertEqual(budget_layouts.standing(after, [own, drawn]), (within.shared.taken, within.loss))
        # What is kept is kept whichever way it is laid out, by what it wears as well.
        kept = budget_layouts.share_out([own, drawn], limits, ["material:Even"])
        self.assertNotIn("part:Plain", {d.target for d in kept.chosen})

    def test_what_has_nothing_else_to_give_has_its_draw_calls(self) -> None:
        """Three slots of numbers alone: as they are, nothing of them can be smaller."""
        colors = [
            material(name, base_color=(0.2, v, 0.4)) for name, v in (("A", 0.1), ("B", 0.5), ("C", 0.9))
        ]
        slots = [moved(quad(), (1.2 * n, 0.0, 0.0), one.id) for n, one in enumerate(colors)]
        at = route(of_slots(slots, tuple(colors)))
        layouts = budget_layouts.measured(at)
        self.assertEqual(layouts[0].found.items, ())
        self.assertEqual(budget_layouts.share_out(layouts, at_most(draws=3)).chosen, [])
        within = budget_layouts.share_out(layouts, at_most(draws=2))
        self.assertEqual((within.chosen[0], within.shared.fits), (TOGETHER, True))
        self.assertFalse(budget_layouts.share_out(layouts, at_most(draws=2), ["scene"]).shared.fits)

    def test_lifting_is_offered_where_it_is_drawn_so(self) -> None:
        for sheet, takes in ((DOCUMENT, False), (sheet_named("lanterna"), True)):
            at = route(trunk()).otherwise([TOGETHER, Decision("part:Trunk", "largest_side", 32)], sheet)
            offered = {deed.id for deed in deeds_of(at, silent)}
            self.assertEqual({"slots:scene", "size:part:Trunk"} <= offered, takes)
            self.assertEqual("slots:scene" in offered or "size:part:Trunk" in offered, takes)

    def test_a_curve_tells_the_better_of_both(self) -> None:
        at = route(fair())
        layouts = budget_layouts.measured(at)
        points = budget_layouts.curve_of(layouts, DRAWS)
        self.assertEqual(points[0][0], 3)
        self.assertEqual(points[-1], (6, 0.0))
        told = budget_out(at, at_most(draws=4), [])["found"]
        (first, *_) = told["changes"]
        self.assertEqual((first["kind"], first["saved"]["draws"]), ("layout", 3))
        self.assertEqual((told["then"]["draws"], told["least"]["draws"]), (3, 3))
        (kept,) = budget_out(at, at_most(draws=4), ["scene"])["found"]["kept"]
        self.assertEqual(kept["name"], "Materials")


class Elsewhere(TestCase):
    def test_where_there_is_no_place_for_it_it_does_nothing(self) -> None:
        """Meshes that stand there already keep their slots."""
        for sheet, takes in ((DOCUMENT, False), (sheet_named("lanterna"), True)):
            at = route(trunk()).otherwise([TOGETHER], sheet)
            with self.subTest(sheet.name):
                self.assertEqual(at.destination != sheet, takes)
                wearers = {image.wearer for image in at.plan().images}
                self.assertEqual("together:mesh:Trunk" in wearers, takes)
                self.assertEqual(bool(budget_layouts.decisions_of(at, free(at))), takes)


def free(at: Route) -> Within:
    """The choice without limits."""
    with small_budgets():
        return budget_layouts.share_out(budget_layouts.measured(at), at_most())
