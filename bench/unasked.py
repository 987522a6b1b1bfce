"""What is made of a proof while nobody waits: how long its causes take beside it, how soon it is left once somebody
does, and what texels cost that another process has decoded.
"""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from bench.drop import SETTINGS, warming
from bench.report import Benchmark
from bench.size import received

SOON_S = 2.0
"""In which whoever asks for something else is heard: a large scene is made ready between two reports."""


class Silence:
    """Progress that remembers the longest time in which nothing was reported."""

    def __init__(self) -> None:
        self.longest, self._last = 0.0, time.perf_counter()

    def __call__(self, fraction: float, message: str) -> None:
        now = time.perf_counter()
        self.longest, self._last = max(self.longest, now - self._last), now


def _caused(name: str, content: bytes) -> tuple[float, float, float]:
    """Seconds of a proof and of its causes, and the longest silence while they are found."""
    from trasloco.results import proving
    from trasloco.results.in_memory import route_of
    from trasloco.sheets.library import sheet_named

    route = route_of({name: content}, sheet_named("plain"), sheet_named("lanterna"), [])
    asked = proving.asked_of(route, SETTINGS)
    route.arrival()
    began = time.perf_counter()
    proof = proving.prove(route, asked, lambda *_: None, lambda *_: None)
    proved = time.perf_counter()
    figures = proving.figures_of(route, proof, asked, SETTINGS)
    silence = Silence()
    started = time.perf_counter()
    proving.blame(route, figures, silence)
    silence(1.0, "")
    return proved - began, time.perf_counter() - started, silence.longest


def _texels(name: str, content: bytes) -> tuple[float, float]:
    """Seconds until all texels of a delivery's images were read, found decoded and decoded here."""
    from trasloco.results.in_memory import route_of
    from trasloco.scene import images as decoding
    from trasloco.scene.texels_held import Shared
    from trasloco.sheets.library import sheet_named

    route = route_of({name: content}, sheet_named("plain"), sheet_named("lanterna"), [])
    images = [one for one in route.received().scene.images.values() if one.usable]
    with tempfile.TemporaryDirectory(dir="/dev/shm" if Path("/dev/shm").is_dir() else None) as folder:
        shared = Shared(Path(folder), 1 << 30)
        for image in images:
            shared.put(image.digest, decoding.pixels(image))
        began = time.perf_counter()
        total = sum(int(found.sum()) for one in images if (found := shared.get(one.digest)) is not None)
        found_s = time.perf_counter() - began
    began = time.perf_counter()
    again = sum(int(decoding._decode(one).sum()) for one in images)
    decoded_s = time.perf_counter() - began
    if total != again:
        raise RuntimeError("texels that were shared are not those that were decoded")
    return found_s, decoded_s


def run() -> list[Benchmark]:
    name, content = received()
    _caused(*warming())
    proof, causes, silence = _caused(name, content)
    found, decoded = _texels(name, content)
    return [
        Benchmark("what a difference is made of", causes, "s", "the proof itself, to ± 0.3", proof, 1.0),
        Benchmark("the longest silence meanwhile", silence, "s", "two seconds", SOON_S, 1.0),
        Benchmark(
            "texels that another process has decoded, read",
            found,
            "s",
            "the same decoded, read",
            decoded,
            0.25,
        ),
    ]
