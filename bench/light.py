"""Lightmaps: rays a second of the bake against raw Embree batches over the same processes, and what the noise
filter makes of few paths.
"""

from __future__ import annotations

import pickle
import tempfile
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from bench.report import Benchmark
from bench.size import SMALL, sized, teatrino
from bench.tracer import raw_together

FEW, MANY, TRUTH = sized(64, 2), sized(1024, 4), sized(4096, 8)
_TILES = sized(24, 4)
"""Tiles of the stage's lightmap on which many paths are followed: all of them would take an hour."""


def run() -> list[Benchmark]:
    from demo.stage import build_stage
    from demo.teatrino import environment_image, make_surfaces
    from trasloco.light.lightmaps.bake_wish import Wish
    from trasloco.light.lightmaps.baking import gather
    from trasloco.light.lightmaps.layout import lay_out
    from trasloco.render.flatten import flatten
    from trasloco.render.picture import Quality
    from trasloco.scene.lit import Environment
    from trasloco.sheets.library import built_in_sheets

    rules = built_in_sheets()["lanterna"].lightmaps
    wish = Wish(True, FEW, 3, budget_mib=2.0 / sized(1, 32))
    laid = lay_out(teatrino(), rules, wish)
    flat = flatten(laid.scene, "straight")
    gather(laid, replace(wish, samples=1), flat=flat)
    with tempfile.NamedTemporaryFile(suffix=".pickle") as file:
        file.write(pickle.dumps((flat.arrays.positions, flat.arrays.triangles, 1)))
        file.flush()
        rates, yards = [], []
        for _ in range(sized(3, 1)):
            started = time.perf_counter()
            found = gather(laid, wish, flat=flat)
            rates.append(sum(g.rays for g in found) / (time.perf_counter() - started))
            yards.append(raw_together(Path(file.name), Quality().workers))

    picture = environment_image()
    stage = teatrino() if SMALL else build_stage(make_surfaces())
    stage = replace(
        stage, images={**stage.images, picture.id: picture}, environment=Environment(picture.id, 12.0)
    )
    filtered, few, many = _filter_errors(stage, rules)
    print(
        f"mean ΔE on the stage in {rules.budget_mib:g} MiB against {TRUTH} paths: {FEW} paths {few:.3f}, filtered {filtered:.3f}, {MANY} paths {many:.3f}"
    )
    return [
        Benchmark(
            "rays of the bake",
            float(np.median(rates)),
            "rays/s",
            "raw Embree batches over as many processes",
            float(np.median(yards)),
            0.5,
            more_is_better=True,
        ),
        Benchmark(
            f"lightmap error, {FEW} paths filtered", filtered, "ΔE", f"{MANY} paths as they are", many, 1.0
        ),
    ]


def _light_on(
    flat: Any, like: Any, tiles: list[tuple[int, int, int, int]], samples: int, bounces: int, numbers: int
) -> Any:
    """Light at some tiles of a lightmap, by a set of random numbers."""
    from trasloco.hands.model import Shared, in_order
    from trasloco.hands.threads import Threads
    from trasloco.light.lightmaps.baking import Sums
    from trasloco.render.spreading import OnTexels, TileTask, trace_texels

    height, width = like.even.shape[:2]
    into = Sums(like.covered, width, height, None)
    settings = np.zeros(18)
    settings[15], settings[17] = numbers, 1.0
    scene = Shared(OnTexels(flat, (like.covered.texels,)))
    tasks = [(0, TileTask(settings, width, height, tile, 0, samples, bounces + 1)) for tile in tiles]
    for part in in_order(Threads(2), trace_texels, scene, tasks):
        into.add(part)
    into.samples = samples
    return into.gathered()


def _filter_errors(stage: Any, rules: Any) -> tuple[float, float, float]:
    """Mean ΔE of few paths with the noise taken out, of few as they are and of many, against far more of
    another set of random numbers, on tiles drawn at random.
    """
    from trasloco.light.lightmaps import baking
    from trasloco.light.lightmaps.bake_wish import Wish
    from trasloco.light.lightmaps.finishing import sound, surface_under, without_noise
    from trasloco.light.lightmaps.layout import lay_out
    from trasloco.light.lightmaps.looks import difference, metered
    from trasloco.render.flatten import flatten

    wish = Wish(True, FEW, 3, budget_mib=rules.budget_mib / sized(1, 256), directed=True)
    laid = lay_out(stage, rules, wish)
    flat = flatten(laid.scene, "straight")
    found = baking.gather(laid, wish, flat=flat)
    filtered = [without_noise(one, surface_under(laid, flat, one, 0))[0] for one in found]
    random = np.random.default_rng(5)
    errors: list[list[Any]] = [[], [], []]
    ev100 = metered(np.concatenate([m[sound(g)] for m, g in zip(filtered, found, strict=True)]))
    for number, (one, made) in enumerate(zip(found, filtered, strict=True)):
        height, width = one.even.shape[:2]
        every = baking.Sums(one.covered, width, height, None).tiles
        tiles = [every[k] for k in random.permutation(len(every))[:_TILES]]
        chosen = np.zeros((height, width), bool)
        many, truth = (
            _light_on(flat, one, tiles, samples, wish.bounces, number + shift)
            for samples, shift in ((MANY, 0), (TRUTH, 1000))
        )
        for x0, x1, y0, y1 in tiles:
            chosen[y0:y1, x0:x1] = True
        where = chosen & sound(one) & sound(truth)
        for errs, lux in zip(errors, (made, one.lux, many.lux), strict=True):
            errs.append(difference(lux[where], truth.lux[where], ev100))
    return tuple(float(np.concatenate(errs).mean()) for errs in errors)  # type: ignore[return-value]
