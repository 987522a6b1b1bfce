"""Kinds of decision: what each takes, says and does, against the type it declares."""

from typing import Any
from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from trasloco.decisions.carrying_out import by_stage
from trasloco.decisions.kind import Stage
from trasloco.decisions.kinds import KINDS, in_force, read_by, typed
from trasloco.decisions.schema_words import wanted
from trasloco.errors import Refused
from trasloco.scene.model import Decision

GOOD: dict[str, Any] = {
    "unit_m": 0.01,
    "up_axis": "Z",
    "turn_faces": [0, 2],
    "kelvin": 4000,
    "place": {"move_m": [0, 1, 0]},
    "leave_out": [{"name": "crate*"}, {"kind": "light"}],
    "layers": [{"texture": {"image": "image:a"}, "blend": "over"}],
    "input": {"factor": [None], "texture": None},
    "limits": [0.5, 1, 2],
    "daylight": {"latitude": 45, "longitude": 9, "day": "2026-06-21", "hour": 12},
    "panels": [{"azimuth_deg": 10, "nit": 5}],
    "matters": {"camera": "camera:a"},
    "received_light": {"image": "image:l", "lux": 100},
    "faces_slot": [{"slot": "gold", "faces": [1]}],
    "lamp": {"kind": "sun"},
    "stand": {"azimuth_deg": 5},
    "freeze": {"clip": "clip:a", "time_s": 1},
    "views": [{"name": "left", "matrix": [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1], "yfov_rad": 0.5}],
    "shot": {"matrix": [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1], "yfov_rad": 0.5},
    "invent_relief": {"depth": 0.1},
    "factor": [1, 0, 0],
    "factor_like": "material:a/roughness",
    "name": "Trunk",
    "tint": [1, 1, 0],
    "move_m": [0, 0, 1],
    "backdrop": {"color": [0, 0, 1]},
    "made": {"name": "Lacquer"},
    "grouped": {"name": "Load"},
    "wears": {"material": "material:a"},
    "lamp_color": [1, 0.5, 0.2],
    "cone": {"inner_deg": 10, "outer_deg": 20},
    "aim": [0, 1, 0],
    "lamp_place": [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
    "turn_picked": [0, 3],
    "file_kind": {"kind": "jpg", "loss": 0.5},
    "fitted": {"destination": "Taccuino", "holds_for": "0123456789abcdef", "covers": [], "inputs": {}},
}
SIMPLE = {"boolean": True, "number": 1, "integer": 1, "string": "a word", "null": None, "array": []}


def fitting(field: str) -> Any:
    """A value that a kind takes."""
    if field in GOOD:
        return GOOD[field]
    schema = KINDS[field].value_schema()
    first = schema["anyOf"][0] if "anyOf" in schema else schema
    return first["enum"][0] if "enum" in first else first.get("minimum", SIMPLE[first["type"]])


class Kinds(TestCase):
    def test_each_is_told_in_words_and_either_does_something_or_is_read_by_somebody(self) -> None:
        for field, kind in KINDS.items():
            with self.subTest(field):
                made = typed(Decision("scene", field, fitting(field)))
                self.assertTrue(made.words().strip())
                self.assertNotIn("None", made.words())
                self.assertTrue(kind.does or kind.read_by)
                self.assertNotIn(kind.asks_for(), ("", "a value"))
                if any(one.get("type") == "null" for one in kind.value_schema().get("anyOf", [])):
                    self.assertTrue(typed(Decision("scene", field, None)).words().strip())

    def test_what_is_left_out_of_a_value_or_too_much_is_refused_with_what_it_takes(self) -> None:
        for field, bad in (
            ("kelvin", 900),
            ("kelvin", True),
            ("kelvin", "4000"),
            ("kelvin", float("nan")),
            ("kelvin", 10**400),
            ("bounces", 17),
            ("bounces", 2.0),
            ("turn_faces", [-1]),
            ("turn_faces", [1.5]),
            ("factor", []),
            ("factor", [1] * 5),
            ("factor", float("inf")),
            ("place", {}),
            ("place", {"move_m": [1, 2]}),
            ("place", {"fly": 1}),
            ("name", " "),
            ("name", "x" * 256),
            ("limits", [1, 1, 2]),
            ("daylight", {"latitude": 45, "longitude": 9, "day": "Tuesday", "hour": 12}),
            ("panels", [{"shape": "ring"}]),
            ("panels", [{}] * 25),
            ("leave_out", [{"kind": "ghost"}]),
            ("leave_out", [{"kind": "light", "name": "a"}]),
            ("matters", {"camera": "a", "part": "b"}),
            ("lamp", {"kind": "torch"}),
            ("received_light", {"image": "a", "paint": True, "lux": 1}),
            ("views", [{"name": "flat", "matrix": [0] * 16, "yfov_rad": 0.5}]),
            ("largest_side", 100),
            ("make_uvs", 4),
            ("triangles", 0),
            ("faces_slot", [{"slot": "a"}]),
            ("layers", [{"texture": {"image": "a"}, "weight": 2}]),
            ("parent", {}),
            ("alpha_mode", ["opaque"]),
            ("only", [1]),
            ("include", None),
            ("include", {"a": set()}),
        ):
            with self.subTest(field=field, bad=bad), self.assertRaises(Refused) as refused:
                typed(Decision("scene", field, bad))
            self.assertIn(KINDS[field].asks_for(), str(refused.exception.remedy))

    def test_ranges_are_told_in_words_from_the_type(self) -> None:
        self.assertEqual(KINDS["kelvin"].asks_for(), "kelvin from 1667 to 25000")
        self.assertEqual(KINDS["alpha_mode"].asks_for(), "opaque, mask or blend")
        self.assertEqual(KINDS["focus_m"].asks_for(), "metres from 0.0001 to 1000000, or nothing")
        self.assertEqual(
            wanted({"type": "array", "items": {"type": "number"}, "minItems": 3, "maxItems": 3}),
            "a list of 3 numbers",
        )

    @settings(max_examples=200, deadline=None)
    @given(
        st.sampled_from(sorted(KINDS)),
        st.recursive(
            st.none()
            | st.booleans()
            | st.integers()
            | st.floats(allow_nan=False, allow_infinity=False)
            | st.text(max_size=5),
            lambda one: st.lists(one, max_size=4) | st.dictionaries(st.text(max_size=5), one, max_size=3),
            max_leaves=6,
        ),
    )
    def test_whatever_is_given_is_taken_with_words_or_refused_in_words(self, field: str, value: Any) -> None:
        try:
            self.assertTrue(typed(Decision("scene", field, value)).words())
        except Refused as refused:
            self.assertTrue(refused.remedy)

    def test_later_stages_come_later_and_values_that_add_up_do(self) -> None:
        put = [
            Decision("part:a", "faces_slot", [{"slot": "gold", "faces": [1]}]),
            Decision("part:a", "name", "Trunk"),
            Decision("part:a", "faces_slot", [{"slot": "red", "faces": [1]}]),
            Decision("scene", "kelvin", 3000),
            Decision("scene", "kelvin", 4000),
        ]
        held = in_force(put)
        self.assertEqual(
            [(d.field, d.value) for d in held],
            [
                ("name", "Trunk"),
                ("faces_slot", [{"slot": "gold", "faces": [1]}, {"slot": "red", "faces": [1]}]),
                ("kelvin", 4000),
            ],
        )
        self.assertEqual(
            [stage for stage, _ in by_stage(put)], [Stage.AS_RECEIVED, Stage.VALUES, Stage.NAMES]
        )

    def test_who_reads_what(self) -> None:
        made = [
            Decision("scene", "unit_m", 1),
            Decision("finding:a", "accept", True),
            Decision("part:a", "triangles", 9),
            Decision("lightmaps", "paths", 4),
            Decision("proof", "ev100", None),
            Decision("part:a", "weld", 0.1),
        ]
        self.assertEqual(
            [
                [d.field for d in read_by(made, reader)]
                for reader in ("survey", "states", "reference", "plan", "light", "proof")
            ],
            [["unit_m"], ["accept"], ["unit_m", "weld"], ["triangles"], ["paths"], ["ev100"]],
        )
