"""Fits as they are carried out, as they arrive and as they are held to account."""

import random
from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np

from tests.core.test_nearest import PLAIN, worn
from tests.everything import everything
from tests.making import image, material, noise_image
from trasloco import move
from trasloco.decisions.kinds import typed
from trasloco.errors import Refused
from trasloco.fit.fitted import Change, Fitted, fitted_for, read, value_of
from trasloco.outside.inverse import number_before
from trasloco.results.fitting import can_be_fitted
from trasloco.results.worth import how_right, taken_of
from trasloco.scene.images import pixels
from trasloco.scene.model import Decision, Input, Material, Scene, Texture
from trasloco.scene.resolve import input_values
from trasloco.sheets.library import built_in_sheets, sheet_named
from trasloco.sheets.model import Sheet


def taken(given: Scene, sheet: Sheet, changes: dict[str, Change], covers: tuple[str, ...]) -> Decision:
    one = given.materials["material:m"]
    value = value_of(Fitted(changes, covers), fitted_for(given, one, sheet), sheet)
    return Decision("material:m", "fitted", value)


def arrived(given: Scene, sheet: Sheet, *decisions: Decision) -> tuple[Scene, Any]:
    planned = move.plan(given, PLAIN, sheet, decisions)
    carried = move.carry(given, planned, sheet)
    return move.arrive(move.package(carried, sheet), sheet), carried.plan


class Carried(TestCase):
    def test_texels_lie_on_the_line_and_numbers_are_set(self) -> None:
        picture = noise_image("paint", seed=3)
        made = material(
            base_color=Input((0.5, 0.8, 1.0), Texture("image:paint", encoding="srgb")),
            roughness=(0.4,),
            clearcoat=(1.0,),
        )
        given = worn(made, picture)
        changes = {
            "base_color": Change((0.5, 0.75, 1.2), (0.1, 0.0, -0.05)),
            "roughness": Change((0.0,), (0.21,)),
        }
        meant = (pixels(picture) / 255.0 + 0.055) / 1.055
        linear = np.where(pixels(picture) / 255.0 <= 0.04045, pixels(picture) / 255.0 / 12.92, meant**2.4)
        wanted = np.clip(linear * [0.5, 0.8, 1.0] * [0.5, 0.75, 1.2] + [0.1, 0.0, -0.05], 0, 1)
        for name in ("taccuino", "lanterna", "plancia", "tela"):
            with self.subTest(name):
                sheet = sheet_named(name)
                arrival, planned = arrived(given, sheet, taken(given, sheet, changes, ("clearcoat",)))
                other = next(iter(arrival.materials.values()))
                base = other.inputs["base_color"]
                assert base.texture is not None
                got = input_values("base_color", base, arrival.images[base.texture.image])
                codes = np.abs(_encoded(got) - _encoded(wanted)) * 255
                self.assertLess(codes.max(), 1.05)
                self.assertAlmostEqual(other.inputs["roughness"].factor[0], 0.21, 2)
                marks = {c.name: c.mark for c in planned.of("material:m")}
                if "clearcoat" not in sheet.materials.inputs:
                    self.assertEqual(marks["clearcoat"], "close")
                self.assertEqual((marks["base_color"], marks["roughness"]), ("close", "close"))

    def test_a_fit_of_what_was_before_does_nothing(self) -> None:
        sheet = sheet_named("taccuino")
        given = worn(material(base_color=(0.2,) * 3, clearcoat=(1.0,)))
        fit = taken(given, sheet, {"roughness": Change((0.0,), (0.3,))}, ("clearcoat",))
        other = worn(material(base_color=(0.3,) * 3, clearcoat=(1.0,)))
        for scene_now, sheet_now in ((other, sheet), (given, sheet_named("lanterna"))):
            arrival, _ = arrived(scene_now, sheet_now, fit)
            self.assertAlmostEqual(next(iter(arrival.materials.values())).inputs["roughness"].factor[0], 1.0)
        arrival, _ = arrived(given, sheet, fit)
        self.assertAlmostEqual(next(iter(arrival.materials.values())).inputs["roughness"].factor[0], 0.3, 4)

    def test_a_fitted_number_that_comes_back_changed_is_told_and_not_taken(self) -> None:
        sheet = sheet_named("taccuino")
        given = worn(material(base_color=(0.2,) * 3, clearcoat=(1.0,)))
        fit = taken(given, sheet, {"roughness": Change((0.0,), (0.3,))}, ("clearcoat",))
        for decisions, known in (((), [0.7]), ((fit,), None)):
            planned = move.plan(given, PLAIN, sheet, decisions)
            (crossing,) = [c for c in planned.crossings if c.name == "roughness"]
            self.assertEqual(number_before(crossing, (0.3,), (0.7,))[0], known)

    def test_what_stays_behind_for_a_fit_may_not_arrive_after_all(self) -> None:
        sheet = sheet_named("taccuino")
        given = worn(material(base_color=(0.2,) * 3, clearcoat=(1.0,)))
        fit = taken(given, sheet, {"roughness": Change((0.0,), (0.3,))}, ("clearcoat",))
        arrival, planned = arrived(given, sheet, fit)
        self.assertEqual(move.account(given, arrival, planned, sheet).unaccounted, [])
        (id,) = arrival.materials
        coated = {**arrival.materials[id].inputs, "clearcoat": Input((1.0,))}
        stray = replace(arrival, materials={id: replace(arrival.materials[id], inputs=coated)})
        self.assertTrue(move.account(given, stray, planned, sheet).unaccounted)

    def test_both_what_is_replaced_and_what_is_met_count_as_lost_once_a_fit_is_taken(self) -> None:
        sheet = sheet_named("lanterna")
        given = worn(material(transmission=(1.0,), sheen_color=(0.5, 0.5, 0.5)))
        fit = taken(given, sheet, {"opacity": Change((0.0,), (0.2,))}, ("transmission", "sheen_color"))
        before, after = (move.plan(given, PLAIN, sheet, d) for d in ((), (fit,)))
        lost = {"transmission", "sheen_color"}
        self.assertEqual(set(can_be_fitted(before, given)["material:m"]), lost)
        self.assertEqual(set(can_be_fitted(after, given)["material:m"]), lost)

    def test_a_fit_that_cannot_be_is_refused_in_words(self) -> None:
        value = {"destination": "Taccuino", "holds_for": "0" * 16, "covers": []}
        for inputs in (
            {"base_color": {"gain": [1.0], "offset": [0.0]}},
            {"roughness": {"gain": [1.0], "offset": [0.0, 0.0]}},
            {"normal": {"gain": [1.0] * 3, "offset": [0.0] * 3}},
            {"height": {"gain": [1.0], "offset": [0.0]}},
        ):
            with self.subTest(inputs), self.assertRaises(Refused):
                typed(Decision("material:m", "fitted", {**value, "inputs": inputs}))

    def test_what_the_destination_has_no_place_for_is_not_set(self) -> None:
        sheet = sheet_named("taccuino")
        given = worn(material(base_color=(0.2,) * 3, clearcoat=(1.0,)))
        fit = taken(given, sheet, {"sheen_roughness": Change((0.0,), (0.3,))}, ("clearcoat",))
        _, planned = arrived(given, sheet, fit)
        self.assertNotIn("sheen_roughness", {c.name for c in planned.of("material:m")})

    def test_the_value_of_the_decision_is_read_as_it_was_written(self) -> None:
        sheet = sheet_named("taccuino")
        given = worn(material())
        fit = Fitted({"base_color": Change((1.0, 0.9, 0.8), (0.0, 0.1, 0.0))}, ("sheen_color",))
        one = given.materials["material:m"]
        self.assertEqual(read(value_of(fit, fitted_for(given, one, sheet), sheet)), fit)

    def test_books_balance_with_fits_of_everything_in_every_layout(self) -> None:
        """Whatever numbers a fit has: all of it is booked, and nothing else moves."""
        for seed, sheet in enumerate(s for s in built_in_sheets().values() if s.role == "destination"):
            rng = random.Random(seed)
            given = move.mend(everything(f"fits {seed}"), PLAIN)
            decisions = [_any_fit(one, given, sheet, rng) for one in given.materials.values()]
            planned = move.plan(given, PLAIN, sheet, decisions)
            carried = move.carry(given, planned, sheet)
            arrival = move.arrive(move.package(carried, sheet), sheet)
            told = move.account(given, arrival, carried.plan, sheet)
            with self.subTest(sheet.name):
                self.assertEqual(
                    [
                        f"{e.kind} {e.item} {e.aspect}: {e.sent} / {e.arrived}: {e.reason}"
                        for e in told.unaccounted
                    ],
                    [],
                )


def _any_fit(one: Material, given: Scene, sheet: Sheet, rng: random.Random) -> Decision:
    def some(low: float, high: float, count: int) -> tuple[float, ...]:
        return tuple(round(rng.uniform(low, high), 3) for _ in range(count))

    changes = {}
    for name, count in {"base_color": 3, "roughness": 1, "metalness": 1, "specular": 1}.items():
        if name in sheet.materials.inputs and rng.random() < 0.8:
            pictured = name in one.inputs and one.inputs[name].texture is not None
            gain = (
                some(0.5, 1.5, count)
                if pictured or one.inputs.get(name, Input(())).vertex_color
                else (0.0,) * count
            )
            changes[name] = Change(gain, some(0.0, 0.2, count))
    lost = [
        name
        for name in ("clearcoat", "clearcoat_roughness", "sheen_color", "anisotropy")
        if name in one.inputs
    ]
    value = value_of(Fitted(changes, tuple(lost)), fitted_for(given, one, sheet), sheet)
    return Decision(one.id, "fitted", value)


def _encoded(linear: Any) -> Any:
    """IEC 61966-2-1."""
    v = np.clip(np.asarray(linear, np.float64), 0, 1)
    return np.where(v <= 0.0031308, v * 12.92, 1.055 * v ** (1 / 2.4) - 0.055)


class Beside(TestCase):
    def test_a_tinted_image_that_is_made_smaller_keeps_its_light(self) -> None:
        """Half of an even grey is half of it, at whatever size."""
        even = image("even", np.full((64, 64, 3), 188, np.uint8))
        made = material(base_color=Input((0.5,) * 3, Texture("image:even", encoding="srgb")))
        given = worn(made, even)
        for side in (64, 32, 16):
            arrival, _ = arrived(given, sheet_named("lanterna"), Decision("material:m", "largest_side", side))
            base = next(iter(arrival.materials.values())).inputs["base_color"]
            assert base.texture is not None
            got = input_values("base_color", base, arrival.images[base.texture.image])
            linear = ((188 / 255 + 0.055) / 1.055) ** 2.4
            self.assertAlmostEqual(float(got.mean()), 0.5 * linear, delta=0.004)

    def test_what_says_nothing_of_metal_is_none_there(self) -> None:
        """glTF 2.0 assumes metal where nothing is said; the neutral scene does not."""
        bare = Material("material:m", "m", {"base_color": Input((0.5, 0.5, 0.5))})
        for name in ("taccuino", "lanterna", "fornace"):
            arrival, _ = arrived(worn(bare), sheet_named(name))
            other = next(iter(arrival.materials.values()))
            self.assertEqual(other.inputs.get("metalness", Input((0.0,))).factor, (0.0,))


class HowRight(TestCase):
    """Predictions beside what was measured of just that."""

    def proof(self, mean: float, worth: Any = None) -> dict[str, Any]:
        return {"views": [{"name": "Front row", "mean": mean}], "worth": worth}

    def test_only_a_proof_of_what_was_expected_tells(self) -> None:
        taken = {"ids": ["a"], "words": "a", "predicted": 0.3, "plan": "with a"}
        first = (1, "before", self.proof(1.5, {"view": "Front row", "taken": taken}))
        other = (2, "with a and more", self.proof(0.4))
        meant = (3, "with a", self.proof(1.3))
        self.assertEqual(how_right([first, other]), [])
        (told,) = how_right([first, other, meant])
        self.assertEqual((told["next"], told["predicted"]), (3, 0.3))
        self.assertAlmostEqual(told["measured"], 0.2)

    def test_all_that_cost_nothing_are_expected_as_measured_together(self) -> None:
        deeds = [
            {"id": id, "where": id, "words": "Do", "gain": gain, "decisions": [], "free": free}
            for id, gain, free in (("a", 0.3, True), ("b", 0.2, True), ("c", 0.1, False))
        ]
        worth = {"deeds": deeds, "all_free": ["a", "b"], "free_gain": 0.4}
        for ids, meant in ((["b", "a"], 0.4), (["a"], 0.3), (["a", "b", "c"], 0.6)):
            self.assertAlmostEqual(taken_of(worth, ids)[1]["predicted"], meant)
