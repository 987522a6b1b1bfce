"""Packing lists that were changed by hand: what changed is decided and nothing else; what cannot be
understood is told by its line.
"""

from __future__ import annotations

import json
import random
from typing import Any
from unittest import TestCase

import numpy as np

from tests.core.test_arrival import rich
from tests.core.test_lit import route_of
from trasloco.results.listing.grammar import read
from trasloco.results.listing.listing import changes_of, list_json, list_text
from trasloco.results.route import Route

COLOR = [float(v) for v in (0.033105, 0.132868, 0.318547)]
"""#336699 by IEC 61966-2-1: ((c / 255 + 0.055) / 1.055) ^ 2.4."""
EDITS: tuple[tuple[str, str, str, str, Any], ...] = (
    # thing, key, what is written, field, value
    ("part Floor", "name", "Boards", "name", "Boards"),
    ("part Floor", "move", "0 0.5 0 m", "place", {"move_m": [0, 0.5, 0]}),
    ("part Floor", "turn", "0, 90, 0 °", "place", {"turn_deg": [0, 90, 0]}),
    ("part Floor", "size", "2", "place", {"size": 2}),
    ("part Floor", "surface", "wood", "surface", "wood"),
    ("part Floor", "collides as", "hull", "collision", "hull"),
    ("part Floor", "collides as", "none", "collision", "none"),
    ("part Floor", "stands still", "yes", "still", True),
    ("part Floor", "casts shadows", "No", "casts_shadow", False),
    ("part Floor", "wears", "glass", "wears", {"material": "material:glass"}),
    ("part Sign", "comes along", "no", "include", False),
    ("material cloth", "name", "Velvet", "name", "Velvet"),
    ("material cloth", "see-through", "blended", "alpha_mode", "blend"),
    ("material cloth", "both sides", "yes", "double_sided", True),
    ("material cloth", "index of refraction", "1.4", "factor", 1.4),
    ("material cloth", "sheen", "#336699", "factor", COLOR),
    ("material cloth", "sheen", "0.1 0.2 0.3", "factor", [0.1, 0.2, 0.3]),
    ("material cloth", "roughness", "0.35", "factor", 0.35),
    ("material cloth", "metalness", "1", "factor", 1.0),
    ("material glass", "transmission", "0.5", "factor", 0.5),
    ("material glass", "clear coat", "0.8", "factor", 0.8),
    ("material leaf", "see-through", "solid", "alpha_mode", "opaque"),
    ("material leaf", "opacity image", "none", "image", None),
    (
        "material leaf",
        "opacity image",
        "ao.png, g",
        "image",
        {"image": "ao.png", "channels": "g", "invert": False},
    ),
    ("material leaf", "base colour image", "none", "image", None),
    ("lamp Spot", "name", "Rim", "name", "Rim"),
    ("lamp Spot", "on", "no", "enabled", False),
    ("lamp Spot", "strength", "75 cd", "intensity", 75.0),
    ("lamp Sun", "strength", "1200 lx", "intensity", 1200.0),
    ("lamp Spot", "colour", "1 0.5 0.25", "lamp_color", [1, 0.5, 0.25]),
    ("lamp Lamp", "casts shadows", "no", "shadows", False),
    ("scene", "size", "0.5", "scale", 0.5),
)


def edited(text: str, thing: str, key: str, value: str) -> str:
    """The list with one line of one thing changed, or added below it where it is not there."""
    lines = text.splitlines()
    start = next(k for k, line in enumerate(lines) if line.startswith((f"{thing} ", f"{thing} [")))
    end = next((k for k in range(start + 1, len(lines)) if not lines[k].startswith("  ")), len(lines))
    at = next((k for k in range(start + 1, end) if lines[k].startswith(f"  {key}:")), None)
    made = f"  {key}: {value}"
    lines[at if at is not None else end : (at + 1) if at is not None else end] = [made]
    return "\n".join(lines)


class HandedBack(TestCase):
    route: Route

    @classmethod
    def setUpClass(cls) -> None:
        cls.route = route_of(rich())
        cls.text = list_text(cls.route)

    def test_a_list_that_was_not_changed_decides_nothing(self) -> None:
        for text in (self.text, self.text.replace("\n", "\r\n"), list_json(self.route), "\ufeff" + self.text):
            found = changes_of(self.route, text)
            self.assertEqual((found.decisions, found.misread), ([], []))

    def test_each_edit_is_its_decision_and_no_other(self) -> None:
        for thing, key, value, field, wanted in EDITS:
            with self.subTest(f"{thing}, {key}: {value}"):
                found = changes_of(self.route, edited(self.text, thing, key, value))
                self.assertEqual(found.misread, [])
                (made,) = found.decisions
                self.assertEqual(made.field, field)
                if isinstance(wanted, dict) and "image" in wanted:
                    held = self.route.received().scene.images[made.value["image"]]
                    self.assertEqual({**made.value, "image": held.name}, wanted)
                elif isinstance(wanted, list):
                    np.testing.assert_allclose(made.value, wanted, atol=1e-6)
                else:
                    self.assertEqual(made.value, wanted)
                self.assertEqual(len(found.words), 1)
                self.route.mended_with(found.decisions)

    def test_several_lines_of_a_place_are_one_decision(self) -> None:
        text = edited(edited(self.text, "part Floor", "move", "1 0 0 m"), "part Floor", "size", "3")
        (made,) = changes_of(self.route, text).decisions
        self.assertEqual(made.value, {"move_m": [1.0, 0.0, 0.0], "size": 3.0})

    def test_after_an_edit_the_list_says_it(self) -> None:
        text = edited(self.text, "material cloth", "roughness", "0.35")
        again = route_of(rich(), changes_of(self.route, text).decisions)
        self.assertIn("  roughness: 0.35", list_text(again))
        # Handed back against the list that it was made from, what was decided since then stays.
        later = edited(self.text, "lamp Spot", "on", "no")
        (made,) = changes_of(again, later, self.text).decisions
        self.assertEqual(made.field, "enabled")

    def test_json_is_the_same(self) -> None:
        told = json.loads(list_json(self.route))
        thing = next(one for one in told["things"] if one["name"] == "cloth")
        thing["says"]["both sides"] = "yes"
        (made,) = changes_of(self.route, json.dumps(told)).decisions
        self.assertEqual((made.field, made.value), ("double_sided", True))

    def test_what_cannot_be_understood_is_told_by_its_line_and_changes_nothing(self) -> None:
        good = edited(self.text, "material cloth", "roughness", "0.35")
        for thing, key, value, words in (
            ("part Floor", "move", "up a bit", "3 numbers"),
            ("part Floor", "collides as", "sponge", "hull"),
            ("part Floor", "wears", "marble", "No material is called marble"),
            ("part Floor", "wears", "glass, cloth", "1 slot"),
            ("part Floor", "hue", "red", "Keys are"),
            ("material cloth", "roughness", "7", "from 0 to 1"),
            ("material cloth", "sheen", "#33669", "#rrggbb"),
            ("material leaf", "opacity image", "ao.png, rgb", "one of r, g, b or a"),
            ("material leaf", "see-through", "solid at 0.3", "cut out"),
            ("lamp Spot", "strength", "75 lux", "cd"),
            ("lamp Spot", "on", "perhaps", "yes or no"),
        ):
            with self.subTest(f"{key}: {value}"):
                text = edited(good, thing, key, value)
                found = changes_of(self.route, text)
                self.assertEqual(found.decisions, [])
                (misread,) = found.misread
                self.assertEqual(text.splitlines()[misread.line - 1].strip(), f"{key}: {value}")
                self.assertIn(words, f"{misread.why} {misread.remedy}")

    def test_two_hundred_damaged_lists_give_a_line_and_a_reason_or_mean_what_they_say(self) -> None:
        rng, told = random.Random("damage"), 0
        lines = self.text.splitlines()
        for _ in range(200):
            held = list(lines)
            at = rng.randrange(5, len(held))
            kind = rng.randrange(5)
            if kind == 0:
                held[at] = held[at].replace(":", " ", 1)
            elif kind == 1:
                held[at] = held[at].strip()
            elif kind == 2:
                held[at] = "".join(rng.sample(held[at], len(held[at])))
            elif kind == 3:
                held.insert(at, held[at])
            else:
                held[at] = held[at][: rng.randrange(len(held[at]) + 1)]
            found = changes_of(self.route, "\n".join(held))
            if found.misread:
                told += 1
                self.assertEqual(found.decisions, [])
                self.assertTrue(
                    all(0 < one.line <= len(held) and one.why and one.remedy for one in found.misread)
                )
            else:
                # At most one line was touched: no more than what that line says.
                self.assertLessEqual(len(found.words), 1)
        self.assertGreater(told, 80)

    def test_binary_junk_and_other_lists(self) -> None:
        for text in ("", "\0\1\2", "{", "{}", '{"things": [1]}', "part\n", "ghost Moon [moon]\n  name: x\n"):
            found = changes_of(self.route, text)
            self.assertEqual(found.decisions, [])
        self.assertEqual(read("part A [a]\n  name: b: c\n")[0][0].says, {"name": "b: c"})
