"""Lightmaps: rays a second of the bake against raw Embree batches over the same processes, and what the lightmap filter makes of few paths."""

from __future__ import annotations

import pickle
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import numpy as np

from bench.report import Benchmark
from bench.tracer import raw_together


def run() -> list[Benchmark]:
    from demo.stage import build_stage
    from demo.teatrino import build, environment_image, make_surfaces
    from trasloco.light.lightmaps.baking import gather
    from trasloco.light.lightmaps.finishing import finished, sound
    from trasloco.light.lightmaps.layout import lay_out
    from trasloco.light.lightmaps.looks import difference, metered
    from trasloco.light.lightmaps.stitching import find_seams
    from trasloco.light.lightmaps.wishes import Wish
    from trasloco.render.flatten import flatten
    from trasloco.render.picture import Quality
    from trasloco.scene.model import Environment
    from trasloco.sheets.library import built_in_sheets

    rules = built_in_sheets()["lanterna"].lightmaps
    surfaces = make_surfaces()
    whole = build(surfaces)
    wish = Wish(True, 64, 3, budget_mib=2.0)
    laid = lay_out(whole, rules, wish)
    flat = flatten(laid.scene)
    gather(laid, replace(wish, samples=1), flat=flat)
    with tempfile.NamedTemporaryFile(suffix=".pickle") as file:
        file.write(pickle.dumps((flat.arrays.positions, flat.arrays.triangles, 1)))
        file.flush()
        rates, yards = [], []
        for _ in range(3):
            started = time.perf_counter()
            found = gather(laid, wish, flat=flat)
            rates.append(sum(g.rays for g in found) / (time.perf_counter() - started))
            yards.append(raw_together(Path(file.name), Quality().workers))

    picture = environment_image()
    stage = build_stage(surfaces)
    stage = replace(stage, images={**stage.images, picture.id: picture}, environment=Environment(picture.id, 12.0))
    wish = Wish(True, 64, 3, budget_mib=0.13, stitched=False)
    laid = lay_out(stage, rules, wish)
    flat = flatten(laid.scene)
    seams = find_seams(flat, laid)

    def lit(samples: int, denoised: bool, shift: int = 0) -> tuple[list[np.ndarray], list[np.ndarray]]:
        found = gather(laid, replace(wish, samples=samples), flat=flat)
        return list(finished(laid, found, replace(wish, denoised=denoised), seams).lux), [sound(g) for g in found]

    truth, valid = lit(4096, False)
    ev100 = metered(np.concatenate([t[v] for t, v in zip(truth, valid, strict=True)]))

    def error(maps: list[np.ndarray]) -> float:
        return float(np.concatenate([difference(m[v], t[v], ev100) for m, t, v in zip(maps, truth, valid, strict=True)]).mean())

    filtered, few, many = error(lit(64, True)[0]), error(lit(64, False)[0]), error(lit(1024, False)[0])
    print(f"mean ΔE against 4096 paths: 64 paths {few:.3f}, filtered {filtered:.3f}, 1024 paths {many:.3f}")
    return [
        Benchmark("rays of the bake", float(np.median(rates)), "rays/s", "raw Embree batches over as many processes", float(np.median(yards)), 0.5, more_is_better=True),
        Benchmark("lightmap error, 64 paths filtered", filtered, "ΔE", "1024 paths as they are", many, 1.0),
    ]
