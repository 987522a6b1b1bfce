"""More than one machine: two workers of a local cluster against one, and against what a simulation says that
is fed with times and sizes measured in the same run; then what it says of up to 64.
"""

from __future__ import annotations

import logging
import pickle
import time
from collections.abc import Sequence
from dataclasses import replace
from typing import Any
from unittest import mock

from bench.report import Benchmark
from bench.simulated import Costs
from bench.simulated import run as simulated
from bench.size import sized, teatrino
from trasloco.hands.cluster import Cluster
from trasloco.hands.model import NOTHING, Hands, in_order
from trasloco.hands.threads import Threads
from trasloco.render.arrays import FlatScene
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, render, views_of

GIGABIT = 125e6
"""Bytes a second."""
WORKERS = (1, 2, 4, 8, 16, 32, 64)


def _nothing(shared: None, piece: int) -> int:
    return piece


class _Noted:
    """Threads that note how long each tile took, pass by pass."""

    count = 1

    def __init__(self) -> None:
        self.rounds: list[list[float]] = []
        self.bytes: list[int] = []

    def each(self, work: Any, shared: Any, pieces: Sequence[Any]) -> Any:
        self.rounds.append([])
        for number, found in Threads(1).each(work, shared, pieces):
            self.rounds[-1].append(found.seconds)
            if len(self.bytes) < 8:
                self.bytes.append(len(pickle.dumps(found, protocol=5)))
            yield number, found


def _costs(flat: FlatScene, view: Any, quality: Quality, cluster: Cluster) -> tuple[Costs, float]:
    """What is measured here, and the seconds of one thread alone."""
    noted = _Noted()
    started = time.perf_counter()
    hands: Hands = noted
    render(flat, view, quality, hands=hands)
    alone = time.perf_counter() - started
    packed = pickle.dumps(flat, protocol=5)
    started = time.perf_counter()
    pickle.loads(packed)
    read = time.perf_counter() - started
    list(in_order(cluster, _nothing, NOTHING, range(64)))
    started = time.perf_counter()
    for _ in range(sized(32, 4)):
        list(in_order(cluster, _nothing, NOTHING, range(1)))
    away = (time.perf_counter() - started) / sized(32, 4)
    pieces = sized(2048, 64)
    with mock.patch("trasloco.hands.cluster.AHEAD", pieces):
        started = time.perf_counter()
        list(in_order(cluster, _nothing, NOTHING, range(pieces)))
        handed = (time.perf_counter() - started) / (pieces / 8)
    tiles = sum(len(one) for one in noted.rounds)
    added = max(alone - sum(map(sum, noted.rounds)), 0.0) / tiles
    return (
        Costs(noted.rounds, len(packed), read, sum(noted.bytes) / len(noted.bytes), handed, away, added, 2e9),
        alone,
    )


def run() -> list[Benchmark]:
    from distributed import LocalCluster

    scene = teatrino()
    view, flat = views_of(scene)[0], flatten(scene)
    quality = Quality(sized(480, 64), sized(270, 36), sized(32, 4), 4, threads=1)
    begin: Any = LocalCluster
    taken: dict[int, float] = {}
    costs, alone = None, 0.0
    for workers in (1, 2):
        with begin(
            n_workers=workers, threads_per_worker=1, dashboard_address=None, silence_logs=logging.CRITICAL
        ) as local:
            cluster = Cluster(local.scheduler_address)
            if costs is None:
                costs, alone = _costs(flat, view, quality, cluster)
            small = replace(quality, width=64, height=36, samples=1)
            render(flat, view, small, hands=cluster)  # the scene is there, the kernels are loaded
            started = time.perf_counter()
            render(flat, view, quality, hands=cluster)
            taken[workers] = time.perf_counter() - started
            cluster.close()
    assert costs is not None
    foreseen = simulated(replace(costs, scene=0.0, read=0.0), 2).seconds
    print(
        f"a scene of {costs.scene / 1e6:.0f} MB, made ready in {costs.read:.2f} s; {len(costs.rounds)} passes of "
        f"{len(costs.rounds[0])} tiles, {alone:.1f} s in all, {costs.result / 1e3:.0f} kB back of each; a piece "
        f"costs {1e3 * costs.handed:.2f} ms to hand out and is {1e3 * costs.away:.1f} ms on its way, a tile "
        f"{1e3 * costs.added:.2f} ms to add"
    )
    large = _larger(costs)
    _told("480 x 270", costs)
    best = _told("1920 x 1080", large)
    whole = sum(map(sum, large.rounds))
    return [
        Benchmark("two workers", taken[2], "s", "one worker", taken[1], 0.62),
        Benchmark("two workers", taken[2], "s", "the simulation of two", foreseen, 1.3),
        Benchmark("one worker", taken[1], "s", "one thread of this process", alone, 1.2),
        Benchmark("64 workers, simulated, 1920 x 1080, 10 Gbit/s", best, "s", "one thread", whole, 1 / 32),
    ]


def _larger(costs: Costs) -> Costs:
    """Sixteen times the tiles, as long as those that were measured."""
    return replace(costs, rounds=[list(one) * 16 for one in costs.rounds])


def _told(name: str, costs: Costs) -> float:
    """What the simulation says, printed; seconds of the most workers on the fastest network."""
    whole, seconds = sum(map(sum, costs.rounds)), 0.0
    for gigabits in (1, 10):
        for workers in WORKERS:
            told = simulated(replace(costs, bandwidth=gigabits * GIGABIT), workers)
            seconds = told.seconds
            print(
                f"{name}, {gigabits:2d} Gbit/s, {workers:2d} workers: {seconds:6.1f} s ({told.sending:.1f} to send "
                f"the scene), {whole / seconds:5.1f} x one thread; workers {100 * told.working:.0f} %, "
                f"scheduler {100 * told.handing:.0f} %, whoever asks {100 * told.hearing:.0f} % of the time"
            )
    return seconds
