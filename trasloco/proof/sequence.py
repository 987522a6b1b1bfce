"""A clip proved as a sequence of frames: both sides at every moment, and how far they lie apart over time."""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from trasloco.errors import Refused
from trasloco.progress import Progress, silent
from trasloco.proof.compare import Comparison, compare
from trasloco.proof.effects import seen_through
from trasloco.proof.light_there import in_stand_in_light, is_lit
from trasloco.proof.proving import in_same_surroundings
from trasloco.proof.staging import staged
from trasloco.render.exposure import auto_ev100
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, View, render
from trasloco.scene.model import Scene
from trasloco.scene.motion import ends_of
from trasloco.sheets.model import AfterEffect

MOST_FRAMES = 2000


@dataclass(frozen=True)
class Frame:
    """One moment: ``number`` counts from 1, ``time_s`` is the clip's own, ``seconds`` what both pictures
    took.
    """

    number: int
    time_s: float
    reference: Picture
    arrival: Picture
    ev100: float
    comparison: Comparison
    seconds: float


def frame_times(reference: Scene, clip: str, rate_hz: float) -> list[float]:
    """Moments of a clip from its first key to its last, ``rate_hz`` a second, both ends among them where they
    fall on a frame.

    Raises:
        Refused: no such clip, a clip without keys, or more frames than :data:`MOST_FRAMES`.
    """
    held = reference.clips.get(clip)
    ends = ends_of(held) if held is not None else None
    if held is None or ends is None:
        raise Refused("There is no such motion in this move.", clip, "Choose one of its clips.")
    start, end = ends
    count = int((end - start) * rate_hz + 1e-6) + 1
    if rate_hz <= 0 or count > MOST_FRAMES:
        raise Refused(f"{count} frames are more than {MOST_FRAMES}.", held.name, "Ask for fewer a second.")
    return [start + k / rate_hz for k in range(count)]


def prove_sequence(
    reference: Scene,
    arrival: Scene,
    clip: str,
    view: View,
    times: Sequence[float],
    quality: Quality,
    ev100: float | None = None,
    effects: Sequence[AfterEffect] = (),
    progress: Progress = silent,
    stand_in: bool = False,
) -> Iterator[Frame]:
    """Every frame as soon as both its sides are there. Without an ``ev100`` the first frame's reference is
    metered, and all are exposed alike.

    Raises:
        Refused: nothing lights the scene, and no light may stand in.
    """
    if not is_lit(reference):
        if not stand_in:
            raise Refused(
                "Nothing lights this scene: every frame would be black.",
                reference.name,
                "Give it a lamp or surroundings on the Light stop.",
            )
        reference, arrival = in_stand_in_light(reference), in_stand_in_light(arrival)
    after_scene = in_same_surroundings(reference, arrival)
    began = time.perf_counter()
    for k, time_s in enumerate(times):
        started = time.perf_counter()
        each = (started - began) / k if k else 0.0
        told = f"frame {k + 1} of {len(times)}" + (
            f", {each:.1f} s a frame, {each * (len(times) - k):.0f} s left" if k else ""
        )
        progress(k / len(times), told)
        at = replace(view, clip=clip, time_s=time_s)
        before, after = flatten(staged(reference, at, reference)), flatten(staged(after_scene, at, reference))
        first = render(before, at, quality)
        ev100 = auto_ev100(first.radiance) if ev100 is None else ev100
        second = seen_through(
            render(after, at, replace(quality, samples=first.samples, seconds=0.0)), effects, after, at, ev100
        )
        found = compare(first, second, ev100, before.material_ids, before.part_ids, quick=True)
        yield Frame(k + 1, time_s, first, second, ev100, found, time.perf_counter() - started)
    progress(1.0, f"{len(times)} frames")
