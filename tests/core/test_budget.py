"""A delivery under a budget: the choices that lose least within limits, against every choice tried; and what
choices take and lose, against closed forms.
"""

from __future__ import annotations

import itertools
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_lightmaps import walled
from tests.core.test_paint import ball
from tests.fits import small_budgets
from tests.making import cube, image, material, quad, scene
from trasloco.errors import Cancelled, Refused
from trasloco.formats.gltf_write import write_glb
from trasloco.proof.sharing_out import Choice, costs_of, curve, loss_of, nearest, shared_out
from trasloco.results import budget, budget_layouts, budget_shared
from trasloco.results.in_memory import route_of
from trasloco.results.pages.budget import budget_out
from trasloco.results.route import Route
from trasloco.results.weights import RESOURCES
from trasloco.scene.lit import Light
from trasloco.scene.model import Decision, Input, Node, Scene, Texture
from trasloco.scene.transforms import compose, looking
from trasloco.sheets.library import sheet_named
from trasloco.sheets.text import changed

SUN = (Light("light:sun", "Sun", "sun", intensity=20.0), looking((1, 1, 4), (0, 0, 0)))
FINE, PLAIN = "material:Fine", "material:Plain"
KTX2 = {"kind": "ktx2", "loss": 0.0}


def with_mips(side: int) -> int:
    """Bytes of a square of 8-bit RGBA with all smaller levels."""
    return sum(4 * (side >> k) ** 2 for k in range(side.bit_length()))


def in_blocks(side: int) -> int:
    """Bytes of a square of 4 × 4 texels to 16 bytes, with all smaller levels."""
    return sum(16 * max((side >> k) // 4, 1) ** 2 for k in range(side.bit_length()))


def boards(lit: bool = True) -> Scene:
    """Two boards: one of fine squares, one of a single colour, each with an image of 128 texels a side."""
    y, x = np.mgrid[:128, :128]
    fine = np.where(((x // 8 + y // 8) % 2)[..., None] > 0, 230, 20).astype(np.uint8).repeat(3, 2)
    even = np.full((128, 128, 3), (180, 60, 40), np.uint8)
    left, right = quad(1.0, FINE), quad(1.0, PLAIN)
    return scene(
        replace(left, positions=left.positions - np.float32((0.6, 0, 0))),
        replace(right, positions=right.positions + np.float32((0.6, 0, 0))),
        names=("Left", "Right"),
        materials=tuple(
            material(name, base_color=Input((1.0,) * 3, Texture(f"image:{name}", "rgb", "srgb")))
            for name in ("Fine", "Plain")
        ),
        images=(image("Fine", fine), image("Plain", even)),
        lights=(SUN,) if lit else (),
    )


def at_most(**limits: float) -> list[float | None]:
    """Limits in the order of resources, None for those that are not named."""
    return [limits.get(name) for name in RESOURCES]


def route(given: Scene, *decisions: Decision) -> Route:
    return route_of(
        {"given.glb": write_glb(given)}, sheet_named("plain"), sheet_named("lanterna"), list(decisions)
    )


class SharedOut(TestCase):
    def test_no_choice_of_all_is_better(self) -> None:
        rng = np.random.default_rng(5)
        for _ in range(40):
            items = []
            for _ in range(rng.integers(2, 6)):
                size, loss, triangles = rng.uniform(1, 30), rng.uniform(0, 2), rng.uniform(0, 1000)
                items.append(
                    [
                        Choice(
                            (size / 4**k, size / 4**k * rng.uniform(0.5, 2), triangles / 2**k), loss * k**1.5
                        )
                        for k in range(rng.integers(1, 5))
                    ]
                )
            full = costs_of(items, [0] * len(items))
            limits = [
                cost * rng.uniform(0.1, 1) if n == 0 or rng.random() < 0.5 else None
                for n, cost in enumerate(full)
            ]
            within = [
                loss_of(items, picks)
                for picks in itertools.product(*(range(len(item)) for item in items))
                if all(
                    limit is None or cost <= limit
                    for cost, limit in zip(costs_of(items, picks), limits, strict=True)
                )
            ]
            picks = shared_out(items, limits)
            if picks is None:
                self.assertEqual(within, [])
                continue
            for cost, limit in zip(costs_of(items, picks), limits, strict=True):
                self.assertLessEqual(cost, np.inf if limit is None else limit * (1 + 1e-9))
            self.assertLessEqual(loss_of(items, picks), min(within) * 1.05 + 1e-9)

    def test_what_need_not_change_stays(self) -> None:
        free = [Choice((8.0 / 2**k,), 0.0) for k in range(4)]
        self.assertEqual(shared_out([free, free], [None]), (0, 0))
        self.assertEqual(sorted(shared_out([free, free], [12.0]) or ()), [0, 1])
        self.assertIsNone(shared_out([free], [0.5]))

    def test_where_two_limits_cannot_both_be_kept_the_nearest_is_taken(self) -> None:
        """Blocks spare memory and cost download: no one choice is the least of both."""
        image = [Choice((16.0, 4.0), 0.0), Choice((4.0, 6.0), 0.1), Choice((8.0, 2.0), 0.2)]
        self.assertIsNone(shared_out([image], [5.0, 3.0]))
        # Shares of the limits, added up: 16/5 + 4/3, 4/5 + 6/3 and 8/5 + 2/3, the least of them.
        self.assertEqual(nearest([image], [5.0, 3.0]), (2,))
        self.assertEqual(nearest([image], [5.0, None]), (1,))
        self.assertEqual(nearest([image], [None, None]), (0,))

    def test_a_curve_is_what_no_choice_of_all_is_below(self) -> None:
        rng = np.random.default_rng(2)
        items = [
            [Choice((n / 2**k,), float(rng.uniform(0, 1) * k)) for k in range(4)]
            for n in (2.0, 5.0, 9.0, 3.0)
        ]
        every = [
            (costs_of(items, picks)[0], loss_of(items, picks))
            for picks in itertools.product(range(4), repeat=len(items))
        ]
        points = curve(items, 0)
        self.assertEqual(points[0, 0], 19.0 / 8)
        self.assertTrue((np.diff(points[:, 0]) > 0).all() and (np.diff(points[:, 1]) < 0).all())
        for taken, loss in points:
            self.assertTrue(any(np.allclose((taken, loss), one) for one in every))
            self.assertFalse(any(cost <= taken + 1e-9 and lost < loss - 1e-9 for cost, lost in every))


class Budget(TestCase):
    def setUp(self) -> None:
        self.enterContext(small_budgets())

    def test_what_is_not_seen_to_change_is_made_smaller_first(self) -> None:
        at = route(boards())
        found = budget.measured(at)
        self.assertEqual({item.id for item in found.items}, {FINE, PLAIN})
        fine, plain = (next(i for i in found.items if i.id == id) for id in (FINE, PLAIN))
        # From 128 a side down to the smallest that tells anything, the larger ones as KTX2 too.
        sides = (128, 64, 32, 16)
        words = [f"{s} a side{kind}" for s in sides for kind in ("", ", KTX2") if s > 32 or not kind]
        self.assertEqual([rung.words for rung in fine.rungs], words)
        # Squares of 8 texels are blurred where they are one texel wide; a single colour is what it was.
        self.assertGreater(fine.rungs[-1].choice.loss, 0.05)
        self.assertEqual([rung.choice.loss for rung in plain.rungs], [0.0] * 6)
        images = len(at.plan().images) // 2
        self.assertEqual(
            [rung.choice.costs[0] for rung in plain.rungs],
            [images * f(s) for s in sides for f in (with_mips, in_blocks) if s > 32 or f is with_mips],
        )
        self.assertEqual(found.now[0], 2 * images * with_mips(128))
        self.assertEqual(found.now[1], at.package().size_bytes)
        shared = budget_shared.share_out(found, at_most(memory=1.3 * images * with_mips(128)))
        self.assertTrue(shared.fits)
        self.assertEqual(budget_shared.chosen(found, shared.picks), [Decision(PLAIN, "file_kind", KTX2)])
        kept = budget_shared.share_out(found, at_most(memory=1.3 * images * with_mips(128)), [PLAIN])
        self.assertEqual([d.target for d in budget_shared.chosen(found, kept.picks)], [FINE])

    def test_it_tells_how_far_it_is_and_stops_when_asked(self) -> None:
        heard: list[float] = []
        budget.measured(route(boards()), lambda done, words: heard.append(done))
        self.assertEqual(heard, sorted(heard))
        self.assertTrue(heard[0] == 0 and 0.9 < heard[-1] <= 1)

        def stop(done: float, words: str) -> None:
            if done > 0.3:
                raise Cancelled

        at = route(boards())
        with self.assertRaises(Cancelled):
            budget.measured(at, stop)
        self.assertIsNone(budget.known(at))

    def test_a_choice_as_a_whole_takes_what_was_reckoned(self) -> None:
        at = route(boards())
        found = budget.measured(at)
        picks = [[rung.words for rung in item.rungs].index("32 a side") for item in found.items]
        wanted = budget_shared.chosen(found, picks)
        whole = budget_shared.tried(at, wanted)
        reckoned = found.taken(picks)
        self.assertEqual((whole.taken[0], whole.taken[2]), (reckoned[0], reckoned[2]))
        self.assertAlmostEqual(whole.taken[1] / reckoned[1], 1, delta=0.02)
        loss = budget_shared.lost_by(found, picks)
        self.assertAlmostEqual(whole.loss, loss, delta=max(0.25 * loss, 0.1))
        self.assertTrue(0 < whole.unsure < 0.05)

    def test_what_is_only_tried_is_not_kept(self) -> None:
        at = route(boards())
        found = budget.measured(at)
        wanted = budget_shared.chosen(found, [1] * len(found.items))
        budget_shared.tried(at, wanted)
        self.assertTrue(at.has_package())
        self.assertFalse(at.otherwise(wanted).has_package())
        self.assertIsNotNone(budget_shared.known_try(at, wanted))

    def test_limits_are_taken_as_a_whole_and_known_again(self) -> None:
        own = (Decision(FINE, "largest_side", 32), Decision("scene", "largest_side", 64))
        at = route(boards(), *own)
        found = budget.measured(at)
        self.assertEqual(found.now[0], budget.measured(route(boards())).now[0])
        self.assertIsNone(budget_shared.standing(at, found))
        picks = tuple(0 if item.id == FINE else 2 for item in found.items)
        wanted = budget_shared.chosen(found, picks)
        decided = budget_shared.decisions_of(at, wanted)
        self.assertEqual({(d.target, d.value) for d in decided}, {(FINE, None), ("scene", None), (PLAIN, 64)})
        after = at.otherwise([*at.decisions, *decided])
        self.assertEqual(budget.measured_name(after), budget.measured_name(at))
        self.assertEqual(budget_shared.standing(after, found), picks)
        self.assertEqual(budget_shared.decisions_of(after, wanted), [])
        self.assertEqual(
            {i.material: max(i.width, i.height) for i in after.plan().images}, {FINE: 128, PLAIN: 64}
        )

    def test_triangles_are_counted_as_often_as_a_mesh_is_worn(self) -> None:
        fine = ball(24)
        given = scene(fine, materials=(material(),), lights=(SUN,), names=("Ball",))
        (first,) = given.parts()
        again = [
            Node(f"part:again {k}", f"Again {k}", None, compose((3.0 * k, 0.0, 0.0)), mesh=first.mesh)
            for k in (1, 2)
        ]
        given = replace(given, nodes={**given.nodes, **{n.id: n for n in again}})
        found = budget.measured(route(given))
        (item,) = found.items
        self.assertEqual(item.rungs[0].choice.costs[2], 3 * len(fine.indices))
        self.assertEqual(found.now[2], 3 * len(fine.indices))
        shared = budget_shared.share_out(found, at_most(triangles=2.0 * len(fine.indices)))
        self.assertLessEqual(shared.taken[2], 2 * len(fine.indices))
        self.assertGreater(shared.loss, 0)
        # What all that wear it lose is its loss, not that of the first alone.
        at = route(given)
        losing = budget.losing_of(at)
        maps = losing.by_pixel(at.otherwise(item.rungs[-1].decisions).arrival())
        alone = losing.on(maps, "part")
        whole = losing.on(maps, "part", dict.fromkeys(alone, item.id))[item.id]
        self.assertAlmostEqual(whole.loss / sum(one.loss for one in alone.values()), 1, delta=0.1)
        self.assertAlmostEqual(whole.loss / item.rungs[-1].choice.loss, 1, delta=0.1)
        self.assertGreater(whole.loss, 1.5 * alone[item.id].loss)

    def test_lightmaps_take_less_room_where_that_loses_least(self) -> None:
        given, wish = walled(0.1, 24.0)
        asked = [
            Decision("lightmaps", "lightmaps", True),
            Decision("lightmaps", "paths", 16),
            Decision("lightmaps", "bounces", 0),
            *(Decision(part, "receives", False) for part in wish.left_out),
        ]
        small = changed(sheet_named("lanterna"), {"lightmaps.budget_mib": 0.5})
        at = route_of({"given.glb": write_glb(given)}, sheet_named("plain"), small, asked)
        found = budget.measured(at)
        (light,) = (item for item in found.items if item.kind == "lightmaps")
        room = at.baked().laid.memory_mib
        rooms = [float(f"{room / 2**k:.3g}") for k in (1, 2, 3)]
        self.assertEqual([rung.words for rung in light.rungs[1:]], [f"{r:g} MiB" for r in rooms])
        self.assertAlmostEqual(light.rungs[0].choice.costs[0], room * 2**20, delta=1)
        # Pages have sides of powers of two: two rungs may lie on one as large, with less of it covered.
        for more, less in itertools.pairwise(light.rungs):
            self.assertLessEqual(less.choice.costs[0], more.choice.costs[0])
            self.assertLess(less.choice.costs[1], more.choice.costs[1])
            self.assertGreaterEqual(less.choice.loss, more.choice.loss)
        # An eighth of the texels: what is counted is the time that each part takes.
        self.assertLess(light.rungs[-1].choice.costs[3], 0.6 * light.rungs[0].choice.costs[3])
        # The edge of the shadow is told in coarser steps.
        self.assertGreater(light.rungs[-1].choice.loss, 0.02)
        limits = at_most(memory=found.now[0] - 0.6 * room * 2**20)
        shared = budget_shared.share_out(found, limits)
        decided = budget_shared.chosen(found, shared.picks)
        (limit,) = (one for one in decided if one.target == "lightmaps")
        self.assertIn(limit.value, rooms)
        whole = budget_shared.tried(at, decided)
        self.assertLessEqual(whole.taken[0], limits[0] or 0)
        self.assertAlmostEqual(whole.loss, shared.loss, delta=max(0.25 * shared.loss, 0.1))
        after = at.otherwise([*at.decisions, *decided])
        self.assertEqual(budget.measured_name(after), budget.measured_name(at))
        self.assertEqual(budget_shared.standing(after, found), shared.picks)
        self.assertEqual(after.wish.budget_mib, limit.value)

    def test_what_cannot_be_kept_is_told_and_what_has_nothing_is_refused(self) -> None:
        at = route(boards(lit=False))  # measured in the stand-in light
        found = budget.measured(at)
        self.assertTrue(all(item.seen for item in found.items))
        shared = budget_shared.share_out(found, at_most(memory=10.0))
        self.assertFalse(shared.fits)
        self.assertEqual(shared.picks, tuple(len(item.rungs) - 1 for item in found.items))
        told = budget_out(at, at_most(memory=10.0), [])["found"]
        self.assertEqual((told["fits"], len(told["changes"])), (False, 2))
        self.assertIsNone(budget_out(route(scene(cube(), materials=(material(),))), at_most(), [])["found"])
        with self.assertRaisesRegex(Refused, "can be made smaller"):
            budget_layouts.measured(route(scene(cube(), materials=(material(),))))
