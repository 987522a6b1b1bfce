"""Materials fitted to destinations that lack their inputs: how much of the difference that copied numbers
make is met, how near the best a brute-force search finds that is, and how long it takes.
"""

from __future__ import annotations

import random
import time
from collections.abc import Iterator
from types import SimpleNamespace
from typing import Any

import numpy as np

from bench.report import Benchmark
from bench.size import SMALL, sized

MATERIALS, FORCED, LOOKS = sized(60, 1), sized(12, 1), sized(900, 8)
"""Materials, those that are searched by brute force, and looks of such a search."""
_NEAR, _PREVIEW_S, _FINAL_S = 0.2, 5.0, 30.0
DESTINATIONS = ("lanterna", "taccuino", "plancia", "tela", "sipario", "fornace")


def drawn(kind: str, rng: random.Random) -> dict[str, tuple[float, ...]]:
    """Inputs of a material of a kind, within what is met in practice."""
    u = rng.uniform
    color = (u(0.03, 0.9), u(0.03, 0.9), u(0.03, 0.9))
    light = (u(0.5, 1.0), u(0.5, 1.0), u(0.5, 1.0))
    base = {"base_color": color, "roughness": (u(0.25, 0.8),), "metalness": (0.0,)}
    more: dict[str, dict[str, tuple[float, ...]]] = {
        "lacquer": {"clearcoat": (u(0.5, 1),), "clearcoat_roughness": (u(0.02, 0.3),)},
        "tinted lacquer": {"clearcoat": (1.0,), "clearcoat_roughness": (0.05,), "clearcoat_color": light},
        "velvet": {"sheen_color": light, "sheen_roughness": (u(0.25, 0.7),), "roughness": (0.9,)},
        "thin glass": {"base_color": light, "transmission": (1.0,), "roughness": (u(0.02, 0.1),)},
        "frosted sheet": {"base_color": light, "transmission": (u(0.6, 1),), "roughness": (u(0.3, 0.6),)},
        "bottle glass": {
            "base_color": (1.0, 1.0, 1.0),
            "transmission": (1.0,),
            "roughness": (0.03,),
            "thickness": (0.02,),
            "attenuation_color": light,
            "attenuation_distance": (u(0.02, 0.2),),
        },
        "milk glass": {
            "base_color": (1.0, 1.0, 1.0),
            "transmission": (1.0,),
            "roughness": (0.1,),
            "thickness": (0.02,),
            "attenuation_color": (u(0.3, 0.9), u(0.3, 0.9), u(0.3, 0.9)),
            "attenuation_distance": (u(0.005, 0.05),),
            "transmission_scatter": (u(0.05, 0.5), u(0.05, 0.5), u(0.05, 0.5)),
        },
        "wax": {"subsurface": (1.0,), "subsurface_color": light, "subsurface_radius": (u(0.0005, 0.01),)},
        "leaf": {
            "diffuse_transmission": (u(0.3, 0.7),),
            "diffuse_transmission_color": (u(0.2, 0.7), u(0.4, 0.8), u(0.05, 0.3)),
            "base_color": (u(0.05, 0.3), u(0.2, 0.5), u(0.02, 0.1)),
        },
        "brushed metal": {
            "base_color": light,
            "metalness": (1.0,),
            "anisotropy": (u(0.4, 0.9),),
            "roughness": (u(0.15, 0.4),),
        },
        "edge-tinted metal": {"base_color": light, "metalness": (1.0,), "specular_color": color},
        "dim shine": {"specular_color": light, "specular": (u(0.2, 0.8),), "roughness": (u(0.1, 0.4),)},
        "coloured shine": {"specular_color": light, "ior": (u(1.6, 2.2),), "roughness": (u(0.2, 0.4),)},
    }
    return {**base, **more[kind]}


KINDS = (
    "lacquer",
    "tinted lacquer",
    "velvet",
    "thin glass",
    "frosted sheet",
    "bottle glass",
    "milk glass",
    "wax",
    "leaf",
    "brushed metal",
    "edge-tinted metal",
    "dim shine",
    "coloured shine",
)


def routes() -> Iterator[tuple[str, Any]]:
    """A material of each kind in turn, on its way to a destination that lacks something of it."""
    from trasloco.results import fitting
    from trasloco.scene.model import Input, Material, Mesh, Node, Primitive, Scene
    from trasloco.sheets.library import sheet_named

    corner = np.eye(3, dtype=np.float32)
    face = Primitive(corner, np.array([[0, 1, 2]], np.uint32), corner, None, (corner[:, :2],), material="m")
    nodes = {"part:a": Node("part:a", "a", None, np.eye(4), mesh="mesh:a")}
    rng, made = random.Random(17), 0
    for number in range(20 * MATERIALS):
        kind = KINDS[number % len(KINDS)]
        inputs = {name: Input(value) for name, value in drawn(kind, rng).items()}
        given = Material("m", kind, inputs)
        scene = Scene("one", nodes, {"mesh:a": Mesh("mesh:a", "a", (face,))}, {"m": given})
        sheet = sheet_named(DESTINATIONS[(number + number // len(KINDS)) % len(DESTINATIONS)])
        route = SimpleNamespace(
            reference=lambda scene=scene: scene, source=sheet_named("plain"), destination=sheet, decisions=[]
        )
        if fitting.task_between(route, "m") is not None:  # type: ignore[arg-type]
            yield f"{kind} to {sheet.name}", route
            made += 1
            if made == MATERIALS:
                return


def forced(task: Any, seed: int) -> tuple[float, float]:
    """Mean ΔE on the sample of the best that differential evolution finds, and of the fit."""
    from scipy.optimize import differential_evolution

    from trasloco.fit.nearest.fitting import fitted
    from trasloco.fit.nearest.on_sample import OnSample

    sample = OnSample(task.mean, task.model, task.points, task.read, task.among)
    bounds = list(map(tuple, task.model.bounds))
    people = max(2, min(8, LOOKS // (20 * len(bounds))))
    best = differential_evolution(
        sample.mean,
        bounds,
        maxiter=max(1, LOOKS // (people * len(bounds)) - 1),
        popsize=people,
        seed=seed,
        polish=False,
    )
    found = fitted(task, looks=sized(120, 6))
    # Both as they look with other random numbers.
    other = OnSample(task.mean, task.model, task.points, task.read, task.among, seed=9)
    return other.mean(best.x), other.mean(task.model.place_of(found.fit.changes))


def run() -> list[Benchmark]:
    from trasloco.results import fitting

    shares: list[float] = []
    worse: list[bool] = []
    gaps: list[float] = []
    first: list[float] = []
    last: list[float] = []
    for number, (name, route) in enumerate(routes()):
        started = time.perf_counter()
        task = fitting.task_between(route, "m")
        fitting.made(route, "m", task, quick=True)
        first.append(time.perf_counter() - started)
        started = time.perf_counter()
        found = fitting.made(route, "m", task, quick=SMALL)
        last.append(time.perf_counter() - started)
        copied, after = found.copied, found.fitted
        if copied.value > 1:
            shares.append(after.value / copied.value)
        worse.append(after.value > copied.value + (copied.high - copied.low) / 2)
        told = f"{name}: ΔE {copied.value:.2f} copied, {after.value:.2f} fitted, {last[-1]:.0f} s"
        if number < FORCED:
            best, ours = forced(task, number)
            gaps.append(ours - best)
            told += f"; {ours:.2f} against {best:.2f} by brute force"
        print(told, flush=True)
    return [
        Benchmark(
            f"ΔE left of what copied numbers leave, median of {len(shares)} over 1",
            float(np.median(shares)) if shares else 1.0,
            "share",
            "half of it",
            0.5,
            1.0,
        ),
        Benchmark(
            f"no worse than copied numbers, of {len(worse)}",
            1 - float(np.mean(worse)),
            "share",
            "all",
            1.0,
            1.0,
            more_is_better=True,
        ),
        Benchmark(
            f"beyond the best by brute force, the most of {len(gaps)}",
            max(max(gaps), 1e-3),
            "ΔE",
            "a fifth of a ΔE",
            _NEAR,
            1.0,
        ),
        Benchmark("a first look, median", float(np.median(first)), "s", "five seconds", _PREVIEW_S, 1.0),
        Benchmark("a fit for good, the longest", float(np.max(last)), "s", "thirty seconds", _FINAL_S, 1.0),
    ]
