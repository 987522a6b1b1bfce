"""Planted faults are found, and clean scenes raise nothing.

``make bench only=faults`` plants many more of each.
"""

from collections import Counter
from unittest import TestCase

import numpy as np

from tests.fault_scene import SHAPES, clean_scene
from tests.faults import FAULTS
from trasloco.inventory.survey import notice
from trasloco.sheets.library import sheet_named

PLAIN, LANTERNA = sheet_named("plain"), sheet_named("lanterna")
BY_COLOR = PLAIN.model_copy(
    update={"conventions": PLAIN.conventions.model_copy(update={"ids_by_vertex_color": True})}
)
SOURCES = {"close_ids": BY_COLOR}
"""Sources that a kind of fault needs; the plain one otherwise."""


def recall(rounds: int) -> tuple[dict[str, tuple[int, int]], Counter[str]]:
    """(found, planted) of each fault over all shapes, and alarms by kind on the clean scenes."""
    alarms: Counter[str] = Counter()
    score: dict[str, tuple[int, int]] = {}
    for seed in range(rounds):
        for shape in SHAPES:
            clean = clean_scene(shape, seed)
            alarms.update(f"{f.kind} on {shape}" for f in notice(clean, PLAIN, LANTERNA, []))
            for kind, plant in FAULTS.items():
                planted = plant(clean, np.random.default_rng([seed, SHAPES.index(shape), len(kind)]))
                told = [
                    f
                    for f in notice(planted.scene, SOURCES.get(kind, PLAIN), LANTERNA, [])
                    if f.kind == kind and (not planted.targets or set(planted.targets) & set(f.targets))
                ]
                found, total = score.get(kind, (0, 0))
                score[kind] = (found + bool(told), total + 1)
    return score, alarms


class Recall(TestCase):
    def test_every_kind_is_found_on_every_shape_and_clean_scenes_are_quiet(self) -> None:
        score, alarms = recall(1)
        self.assertEqual(dict(alarms), {})
        missed = {
            kind: f"{found} of {total}" for kind, (found, total) in score.items() if found < 0.95 * total
        }
        self.assertEqual(missed, {})
        self.assertGreaterEqual(len(score), 40)
