"""Many machines that nobody has here: a scheduler, a network and workers as discrete events, fed with times
and sizes that were measured.
"""

from __future__ import annotations

import math
from collections.abc import Generator, Sequence
from dataclasses import dataclass
from typing import Any

import simpy

from trasloco.hands.cluster import _MOST, _ROUNDS
from trasloco.hands.model import AHEAD


@dataclass(frozen=True)
class Costs:
    """What was measured.

    Attributes:
        rounds: seconds of each tile on one thread, for each of the passes that follow one another. scene:
            bytes that every worker is sent once; read: seconds a worker takes to make it ready. result: bytes
            that come back of a tile. handed: seconds of the scheduler that one piece of work takes, one after
            the other; away: seconds that a piece is on its way there and back beside. added: seconds that
            whoever asks takes to add one tile. bandwidth: bytes a second that each machine sends or hears.
    """

    rounds: Sequence[Sequence[float]]
    scene: float
    read: float
    result: float
    handed: float
    away: float
    added: float
    bandwidth: float


@dataclass(frozen=True)
class Told:
    """What a run came to: seconds, of them until every worker had the scene, and shares of the time that the
    workers worked, the scheduler handed out, and whoever asked heard.
    """

    seconds: float
    sending: float
    working: float
    handing: float
    hearing: float


def run(costs: Costs, workers: int) -> Told:
    """A picture by so many workers of one thread each."""
    world = simpy.Environment()
    scheduler, ear = simpy.Resource(world), simpy.Resource(world)
    # The scene goes from each that has it to another, so those that have it double.
    sending = costs.scene / costs.bandwidth * math.ceil(math.log2(workers + 1)) + costs.read
    spent = {"working": 0.0, "handing": 0.0, "hearing": 0.0}

    def busy(resource: simpy.Resource, seconds: float, name: str) -> Generator[Any, Any, None]:
        with resource.request() as turn:
            yield turn
            yield world.timeout(seconds)
            spent[name] += seconds

    def piece(
        hands: simpy.Resource, ahead: simpy.Resource, tiles: Sequence[float]
    ) -> Generator[Any, Any, None]:
        with ahead.request() as place:
            yield place
            yield from busy(scheduler, costs.handed, "handing")
            yield world.timeout(costs.away)
            yield from busy(hands, sum(tiles), "working")
            told = len(tiles) * (costs.result / costs.bandwidth + costs.added)
            yield from busy(ear, told, "hearing")

    def picture() -> Generator[Any, Any, None]:
        yield world.timeout(sending)
        for tiles in costs.rounds:
            size = min(max(len(tiles) // (_ROUNDS * workers), 1), _MOST)
            hands = simpy.Resource(world, workers)
            ahead = simpy.Resource(world, AHEAD * workers)
            pieces = [tiles[first : first + size] for first in range(0, len(tiles), size)]
            yield world.all_of([world.process(piece(hands, ahead, some)) for some in pieces])

    done = world.process(picture())
    world.run(done)
    whole = float(world.now)
    return Told(
        whole,
        sending,
        spent["working"] / (whole * workers),
        spent["handing"] / whole,
        spent["hearing"] / whole,
    )
