"""A proof by its interval: samples until the subject is known as well as asked, where they tell most, against
samples spread evenly until it is known as well.
"""

from __future__ import annotations

from dataclasses import replace

from bench.report import Benchmark
from bench.size import sized
from trasloco.scene.model import Input, Material, Scene

EV100, MOST = 4.0, sized(4096, 64)
WIDE, HIGH = sized(240, 48), sized(135, 27)
CLOSER = sized(8, 2)
"""How many times closer than eight samples tell it the difference is to be known: so close that those eight,
which every tile gets first, are few of all.
"""

CHANGES: dict[str, tuple[dict[str, tuple[float, ...]], dict[str, tuple[float, ...]], float]] = {
    "a duller floor": ({"roughness": (0.3,)}, {"roughness": (0.4,)}, 0.7),
    "the same before nothing": ({"roughness": (0.3,)}, {"roughness": (0.4,)}, 1.4),
    "metal for paint": ({"metalness": (1.0,), "roughness": (0.2,)}, {"roughness": (0.2,)}, 0.7),
    "a coat that is lost": ({"clearcoat": (1.0,), "clearcoat_roughness": (0.1,)}, {}, 0.7),
    "glass that becomes solid": ({"transmission": (1.0,), "roughness": (0.1,)}, {"roughness": (0.1,)}, 1.0),
    "light that glows less": ({"emission": (3.0, 2.0, 1.0)}, {"emission": (2.0, 2.0, 1.0)}, 1.0),
}
"""Inputs of a room's surfaces on both sides, and the angle it is seen by."""


def room(inputs: dict[str, tuple[float, ...]]) -> Scene:
    """A floor and a box under a lamp, of one material."""
    from tests.core.test_figures import ball_room

    given = ball_room()
    old: Material = given.materials["material:m"]
    made = {**old.inputs, **{name: Input(value) for name, value in inputs.items()}}
    return replace(given, materials={old.id: replace(old, inputs=made)})


def run() -> list[Benchmark]:
    from tests.core.test_figures import LOOK
    from trasloco.proof.compare import compare
    from trasloco.proof.refining import aim_of, refined
    from trasloco.render.flatten import flatten
    from trasloco.render.picture import Picture, Quality, render

    quality = Quality(WIDE, HIGH, MOST, 4)

    def half(pair: tuple[Picture, Picture]) -> float:
        found = compare(*pair, EV100, ("a", "b"), ("a", "b"), quick=True).subject
        return (found.high - found.low) / 2

    rows = []
    for name, (before, after, angle) in CHANGES.items():
        flats, view = (flatten(room(before)), flatten(room(after))), replace(LOOK, yfov_rad=angle)

        def evenly(count: int, start: tuple[Picture, Picture] | None = None) -> tuple[Picture, Picture]:
            first, second = (
                render(flat, view, replace(quality, samples=count), start=one)  # noqa: B023
                for flat, one in zip(flats, start or (None, None), strict=True)  # noqa: B023
            )
            return first, second

        even = evenly(8)
        asked = half(even) / CLOSER
        there = refined(flats, view, quality, EV100, aim_of(asked))
        reached = max(half(there), 1e-9)
        count = 8
        while half(even) > reached and count < MOST:
            count = max(count + 2, round(count * 1.1))
            even = evenly(count, even)
        rows.append(
            Benchmark(
                f"samples until known to ± {reached:.3f}: {name}",
                there[0].spent,
                "a pixel",
                "spread evenly",
                float(count),
                0.4,
            )
        )
    return rows
