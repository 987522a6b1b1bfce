"""Proofs: how soon the first measured pair is there, how long a whole one takes, what causes cost beside it,
and how well the work spreads.
"""

from __future__ import annotations

import time

from bench.report import Benchmark
from bench.size import sized, teatrino
from trasloco.hands.processes import Processes


def run() -> list[Benchmark]:
    from trasloco import move
    from trasloco.render.flatten import flatten
    from trasloco.render.picture import Quality, render, views_of
    from trasloco.sheets.library import built_in_sheets

    sheets = built_in_sheets()
    reference = teatrino()
    view = views_of(reference)[0]
    destination = sheets["taccuino"]
    plan = move.plan(reference, sheets["plain"], destination)
    arrival = move.arrive(move.package(move.carry(reference, plan, destination), destination), destination)
    render(flatten(reference), view, Quality(64, 36, 2))

    seen: list[float] = []
    started = time.perf_counter()
    quality = Quality(sized(640, 64), sized(360, 36), sized(64, 2), 4)
    proof = move.prove(
        reference,
        arrival,
        [view],
        quality,
        on_pass=lambda name, side, picture, ev: seen.append(time.perf_counter() - started),
    )
    whole = time.perf_counter() - started
    causes = move.blame(reference, arrival, plan, view, proof.worst.ev100, quality)
    print(
        f"{len(causes.causes)} causes of ΔE {causes.mean:.2f}, remainder {causes.remainder:.2f}: "
        + ", ".join(f"{c.suspect.where} {c.suspect.label.lower()} {c.share:.2f}" for c in causes.causes[:8])
    )

    flat = flatten(reference)
    spans = {}
    for workers in (1, 2):
        with Processes(workers, ("trasloco.render.spreading",)) as hands:
            render(flat, view, Quality(sized(320, 64), sized(180, 36), 2, 4), hands=hands)
            began = time.perf_counter()
            render(flat, view, Quality(sized(640, 64), sized(360, 36), sized(24, 2), 4), hands=hands)
            spans[workers] = time.perf_counter() - began
    threads = {}
    for workers in (1, 2):
        began = time.perf_counter()
        render(flat, view, Quality(sized(640, 64), sized(360, 36), sized(24, 2), 4, workers))
        threads[workers] = time.perf_counter() - began
    return [
        Benchmark("first pair of a proof", seen[1], "s", "four seconds", 4.0, 1.0),
        Benchmark("proof, 640 x 360, 64 samples a side", whole, "s", "150 seconds", 150.0, 1.0),
        Benchmark(
            f"causes, {len(causes.causes)} of them", causes.seconds, "s", "the proof itself", whole, 3.0
        ),
        Benchmark(
            "two threads", threads[1] / threads[2], "times as fast", "one", 1.0, 1.8, more_is_better=True
        ),
        Benchmark(
            "two processes", spans[1] / spans[2], "times as fast", "one", 1.0, 1.8, more_is_better=True
        ),
    ]
