"""The books balance: what is delivered is held against what was promised, for generated scenes with
everything in them, and single facts taken away are found.
"""

import random
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.bending import bends
from tests.everything import everything
from tests.making import DECLARED, cube, image, material, quad, scene
from trasloco import move
from trasloco.accounts.model import Accounts
from trasloco.fit.model import Plan
from trasloco.scene.lit import Light
from trasloco.scene.model import Channel, Clip, Input, Node, Scene, Texture
from trasloco.scene.resolve import input_values
from trasloco.sheets.library import built_in_sheets

SHEETS = built_in_sheets()
DESTINATIONS = [s for s in SHEETS.values() if s.role == "destination"]
ROUNDS, BENDS = 9, 150


def moved(given: Scene, destination: str) -> tuple[Scene, Scene, Plan, Accounts]:
    """Reference, arrival, plan as measured, and accounts."""
    sheet = SHEETS[destination]
    reference = move.mend(given, SHEETS["plain"])
    carried = move.carry(reference, move.plan(reference, SHEETS["plain"], sheet), sheet)
    arrival = move.arrive(move.package(carried, sheet), sheet)
    return reference, arrival, carried.plan, move.account(reference, arrival, carried.plan, sheet)


def told(accounts: Accounts) -> list[tuple[str, ...]]:
    return [(e.kind, e.item, e.aspect, e.sent, e.arrived, e.reason) for e in accounts.unaccounted]


class Balanced(TestCase):
    def test_nothing_is_unaccounted(self) -> None:
        counted: dict[str, int] = {}
        for number in range(ROUNDS):
            for destination in DESTINATIONS:
                with self.subTest(f"{number} to {destination.name}"):
                    *_, accounts = moved(everything(f"books {number}"), destination.name.lower())
                    self.assertEqual(told(accounts), [])
                    for mark, count in accounts.counted().items():
                        counted[mark] = counted.get(mark, 0) + count
        print("\n    booked:", counted)
        self.assertGreater(counted["exact"], 1500)
        self.assertGreater(counted["close"], 50)
        self.assertGreater(counted["lost"], 100)

    def test_single_facts_taken_away_or_bent_are_found_at_their_thing(self) -> None:
        tried, missed = 0, []
        rng = random.Random("bends")
        while tried < BENDS:
            name = rng.choice(("lanterna", "fornace", "taccuino"))
            number = rng.randrange(10_000)
            reference, arrival, plan, _ = moved(everything(f"bent {number}"), name)
            every = list(bends(reference, arrival, plan, random.Random(number)))
            for bend in rng.sample(every, min(len(every), 15)):
                tried += 1
                found = move.account(reference, bend.arrival, plan, SHEETS[name]).unaccounted
                if not any(entry.item in bend.items for entry in found):
                    missed.append((name, number, bend.what))
        print(f"\n    {tried - len(missed)} of {tried} found")
        self.assertLessEqual(len(missed), tried // 100, missed)


class Told(TestCase):
    """Losses are told for the one thing that is lost, and for no other."""

    def test_a_lamp_that_is_off_makes_no_room_for_itself(self) -> None:
        on = Light("light:weak", "Weak", "sun", intensity=10.0)
        off = Light("light:strong", "Strong", "sun", intensity=900.0, enabled=False)
        given = scene(quad(), materials=(material(),), lights=((off, np.eye(4)), (on, np.eye(4))))
        _, arrival, plan, accounts = moved(given, "taccuino")
        self.assertEqual([light.name for light in arrival.lights.values()], ["Weak"])
        self.assertEqual(
            {c.light: c.mark for c in plan.lights}, {"light:weak": "exact", "light:strong": "lost"}
        )
        self.assertEqual(told(accounts), [])

    def test_a_lamp_that_stays_behind_leaves_no_empty_place(self) -> None:
        panel = Light("light:panel", "Panel", "rectangle", intensity=10.0, enabled=False)
        given = scene(quad(), materials=(material(),), lights=((panel, np.eye(4)),))
        for destination in ("lanterna", "taccuino", "fornace"):
            _, arrival, _, accounts = moved(given, destination)
            self.assertEqual([n.name for n in arrival.nodes.values()], ["Thing 1"])
            self.assertEqual(
                (told(accounts), [e.mark for e in accounts.entries if e.kind == "light"]), ([], ["lost"])
            )

    def test_a_lamp_on_a_curve_under_what_is_scaled_is_promised_by_where_it_is_in_the_world(self) -> None:
        given = scene(quad(), materials=(material(),))
        big = Node("part:big", "Big", None, np.diag([7.0, 7, 7, 1]))
        lamp = Node("part:lamp", "Lamp", "part:big", np.diag([1 / 7, 1 / 7, 1 / 7, 1]), light="light:lamp")
        keys = np.array([[[0, 0, 0], [0, 0, 0], [9, 0, 0]], [[0, 9, 0], [1, 1, 0], [0, 0, 0]]], np.float32)
        clip = Clip(
            "clip:a",
            "swing",
            (Channel("part:lamp", "translation", np.array([0, 1], np.float32), keys, "CUBICSPLINE"),),
        )
        given = replace(
            given,
            nodes={**given.nodes, "part:big": big, "part:lamp": lamp},
            lights={"light:lamp": Light("light:lamp", "Lamp", "point", intensity=5.0)},
            clips={"clip:a": clip},
        )
        _, _, plan, accounts = moved(given, "fornace")
        promise = next(p for p in plan.passages if p.item == "clip:a" and p.aspect == "places")
        # A chord over 1/24 s is off by at most |p''| / 24^2 / 8. Hermite: p'' = (6s - 4) m0 + (6 - 12s) p1 +
        # (6s - 2) m1, at most 30 along an axis, and all that carries it is seven times as large.
        self.assertLess(promise.bound, 7 * 30 / 24**2 / 8 * 1.1)
        self.assertGreater(promise.bound, 7 * 30 / 24**2 / 8 * 0.5)
        self.assertEqual(told(accounts), [])

    def test_of_two_lamps_of_one_name_the_one_that_is_off_stays_behind(self) -> None:
        off, on = (
            Light("light:a", "Lamp", "spot", intensity=10.0, enabled=False),
            Light("light:b", "Lamp", "spot", intensity=90.0),
        )
        given = scene(quad(), materials=(material(),), lights=((off, np.eye(4)),))
        apart = np.eye(4)
        apart[0, 3] = 3.0
        given = replace(
            given,
            lights={off.id: off, on.id: on},
            nodes={**given.nodes, "part:second": Node("part:second", "Lamp", None, apart, light=on.id)},
        )
        _, _, _, accounts = moved(given, "lanterna")
        self.assertEqual(
            (told(accounts), [e.mark for e in accounts.entries if e.kind == "light"]), ([], ["lost", "exact"])
        )

    def test_occlusion_with_a_strength_and_a_factor_arrives_as_one_image(self) -> None:
        """glTF 2.0 section 3.9.3: 1 + strength x (texel - 1), and the file has no factor beside it: f (1 + s
        (v - 1)) is written into the texels.
        """
        picture = image("o", np.linspace(0, 255, 64).astype(np.uint8).reshape(8, 8, 1))
        shaded = material(occlusion=Input((0.8,), Texture("image:o", "r", strength=0.5)))
        _, arrival, _, accounts = moved(scene(quad(), materials=(shaded,), images=(picture,)), "lanterna")
        self.assertEqual(told(accounts), [])
        got = next(iter(arrival.materials.values())).inputs["occlusion"]
        assert got.texture is not None
        v = np.linspace(0, 255, 64).astype(np.uint8).reshape(8, 8, 1) / 255
        np.testing.assert_allclose(
            input_values("occlusion", got, arrival.images[got.texture.image]),
            0.8 * (1 + 0.5 * (v - 1)),
            atol=0.6 / 255,
        )

    def test_equal_names_stay_apart(self) -> None:
        red, green = (
            replace(material("m", base_color=color), id=f"material:{k}", name="Paint")
            for k, color in enumerate(((1.0, 0, 0), (0, 1.0, 0)))
        )
        given = scene(quad(material="material:0"), cube(material="material:1"), materials=(red, green))
        for destination in ("lanterna", "fornace", "taccuino"):
            _, arrival, _, accounts = moved(given, destination)
            self.assertEqual(told(accounts), [], destination)
            worn = [
                arrival.materials[arrival.meshes[p.mesh or ""].primitives[0].material or ""]
                for p in arrival.parts()
            ]
            self.assertEqual(
                [m.inputs["base_color"].factor for m in worn], [(1.0, 0, 0), (0, 1.0, 0)], destination
            )

    def test_colours_that_the_source_passes_over_do_not_discolour(self) -> None:
        given = scene(quad(colors=(1.0, 0.0, 0.0)), materials=(material(base_color=(0.5, 0.5, 0.5)),))
        _, arrival, _, accounts = moved(given, "lanterna")
        entry = next(e for e in accounts.entries if e.kind == "color")
        self.assertEqual(
            (entry.mark, arrival.meshes[next(iter(arrival.meshes))].primitives[0].colors), ("lost", None)
        )
        self.assertEqual(told(accounts), [])

    def test_sixteen_bits_brought_to_eight_are_never_exact(self) -> None:
        ramp = np.tile((np.arange(16) * 4001).astype(np.uint16)[None, :, None], (16, 1, 1))
        made = material(base_color=(0.5, 0.5, 0.5), roughness=Texture("image:ramp", "r"))
        _, _, plan, accounts = moved(
            replace(scene(quad(), materials=(made,), images=(image("ramp", ramp),)), declares=DECLARED),
            "lanterna",
        )
        crossing = next(c for c in plan.crossings if c.name == "roughness")
        self.assertEqual(crossing.mark, "close")
        self.assertIn("16 bits", crossing.reason)
        self.assertEqual(told(accounts), [])

    def test_a_number_that_has_no_place_but_in_an_image_is_told(self) -> None:
        made = material(occlusion=Input((0.6,)))
        _, _, plan, accounts = moved(scene(quad(), materials=(made,)), "lanterna")
        self.assertEqual(next(c.mark for c in plan.crossings if c.name == "occlusion"), "lost")
        self.assertEqual(told(accounts), [])

    def test_a_layer_of_parts_is_told_lost_where_there_are_none_and_kept_in_usd(self) -> None:
        given = scene(quad(), materials=(material(),))
        node = next(iter(given.nodes.values()))
        given = replace(given, nodes={node.id: replace(node, layers=("Front",))})
        for destination, mark in (("lanterna", "lost"), ("fornace", "exact")):
            *_, accounts = moved(given, destination)
            self.assertEqual(next(e.mark for e in accounts.entries if e.aspect == "layers"), mark)

    def test_what_a_promise_does_not_say_stays_unaccounted(self) -> None:
        reference, arrival, plan, _ = moved(scene(quad(), cube(), materials=(material(),)), "fornace")
        without = replace(plan, passages=tuple(p for p in plan.passages if p.aspect != "place"))
        first = next(iter(arrival.nodes.values()))
        bent = replace(
            arrival,
            nodes={
                **arrival.nodes,
                first.id: Node(
                    first.id, first.name, None, first.matrix @ np.diag([1.0, 1.0, 1.01, 1.0]), mesh=first.mesh
                ),
            },
        )
        found = move.account(reference, bent, without, SHEETS["fornace"])
        self.assertEqual(
            [(e.aspect, e.reason) for e in found.unaccounted], [("place", "Nothing speaks of it.")]
        )
