"""The gauge against programs drawn at random: lines, curves, strengths, roughness and surroundings read from
pictures in eight bits, and how long a reading takes.
"""

from __future__ import annotations

import time
from unittest import mock

import numpy as np

from bench.report import Benchmark
from bench.size import SMALL, sized

STRANGERS = sized(200, 1)
BOARDS = ("tones", "around") if SMALL else ("tones", "shine", "lamps", "around")
LINES, SURE, STRENGTH, ROUGHNESS, TURN_DEG, CURVE = 0.97, 0.85, 0.03, 0.02, 0.5, 1.0
"""Shares of lines right, and of those told at 0.9 and more; how far off a strength, a roughness, a turn in
degrees and a curve in ΔE may lie.
"""
_SECONDS = 20.0


def _share(name: str, good: list[bool], least: float, of: str) -> Benchmark:
    share = float(np.mean(good)) if good else 0.0
    return Benchmark(
        f"{name}, of {len(good)} by {STRANGERS} strangers",
        share,
        "share",
        of,
        least,
        1.0,
        more_is_better=True,
    )


def run() -> list[Benchmark]:
    from demo.judging import judged
    from demo.stranger import pictured, recombined, roughnesses, stranger
    from trasloco.errors import Refused
    from trasloco.gauge.boards import boards
    from trasloco.gauge.expected import SAMPLES, expected
    from trasloco.gauge.packing import packed
    from trasloco.gauge.reading import read
    from trasloco.scene.color import srgb_to_linear
    from trasloco.sheets.library import sheet_named

    packages = {key: packed(boards()[key], sheet_named("taccuino")) for key in BOARDS}
    with mock.patch.dict(SAMPLES, {"tones": 2, "around": 8} if SMALL else {}):
        known = {key: expected(one) for key, one in packages.items()}
        # What strangers show is rendered apart from what they are read by, and larger.
        drawn = known if SMALL else {key: expected(one, seed=5, width=1280) for key, one in packages.items()}
    powers = None if SMALL else roughnesses(packages["shine"])
    lines: list[bool] = []
    told: list[bool] = []
    strengths: list[bool] = []
    roughness: list[bool] = []
    turns: list[bool] = []
    curves: list[bool] = []
    placed: list[bool] = []
    seconds: list[float] = []
    for seed in range(STRANGERS):
        one = stranger(seed)
        pictures = {
            key: srgb_to_linear(
                pictured(one, key, recombined(one, key, drawn[key], powers)) / np.float32(255)
            )
            for key in BOARDS
        }
        began = time.perf_counter()
        try:
            found = read(pictures, known)
        except Refused:  # a lens and a crop may leave too few marks: told, and to be taken again
            placed.append(False)
            continue
        placed.append(True)
        seconds.append(time.perf_counter() - began)
        came = judged(one, found, known)
        lines += [right for _, _, right in came.lines.values()]
        told += [right for _, sure, right in came.lines.values() if sure]
        strengths += [off < STRENGTH for off in came.strengths.values()]
        roughness += [came.roughness < ROUGHNESS] if came.roughness is not None else []
        turns += [came.turn_deg < TURN_DEG and bool(came.mirrored)] if came.turn_deg is not None else []
        curves.append(came.curve[1] < CURVE)
    rows = [
        _share("boards found in their pictures", placed, 0.98, "all but those that are cut off"),
        _share("lines of the gauge told right", lines, LINES, "what is asked"),
        _share("lines told at 0.9 and more that are right", told, 0.99, "at most one in a hundred wrong"),
        _share("tone curves within ΔE 1 all over", curves, 1.0, "all of them"),
        _share("strengths of lamps within 3 %", strengths, 1.0, "all of them"),
        _share("surroundings within 0.5 degrees", turns, 1.0, "all of them"),
        Benchmark(
            f"a gauge of {len(BOARDS)} pictures read",
            float(np.median(seconds)),
            "s",
            "what is asked",
            _SECONDS,
            1.0,
        ),
    ]
    return rows if SMALL else [*rows, _share("roughness within 0.02", roughness, 1.0, "all of them")]
