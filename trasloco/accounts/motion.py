"""Skins and clips on both sides, at their keys and between."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.accounts.model import Fact
from trasloco.accounts.pairing import Pairs
from trasloco.accounts.tree import PLACE, apart_by
from trasloco.fit.model import Passage
from trasloco.scene.model import Clip, Scene, Skin
from trasloco.scene.motion import posed_matrices, world_of

_MOST_MOMENTS = 160
_BIND = 1e-4


def motion_facts(
    reference: Scene, arrival: Scene, pairs: Pairs, promises: dict[Any, Passage], alone: bool = False
) -> Iterator[Fact]:
    """Facts of skins, clips and the frame rate; parts that stand ``alone`` there are looked at in the world."""
    yield from _skins(reference, arrival, pairs)
    yield from _at_rest(reference, arrival, pairs, promises)
    for clip in reference.clips.values():
        other = arrival.clips.get(pairs.clips.get(clip.id, ""))
        for aspect in ("places", "shapes"):
            moved = [c for c in clip.channels if (c.path == "weights") == (aspect == "shapes")]
            if moved or (aspect == "places" and not clip.channels):
                yield _clip(
                    clip,
                    other,
                    aspect,
                    reference,
                    arrival,
                    pairs,
                    promises.get(("motion", clip.id, aspect)),
                    alone and aspect == "places",
                )
    for id in pairs.new_clips:
        yield Fact(
            "motion",
            id,
            "places",
            arrival.clips[id].name,
            "not there",
            f"{len(arrival.clips[id].channels)} moving values",
            False,
        )
    if reference.frame_rate or arrival.frame_rate:
        sent, got = reference.frame_rate, arrival.frame_rate
        same = sent is not None and got is not None and abs(sent - got) < 1e-3
        yield Fact(
            "motion", "scene", "frame rate", "Frame rate", _rate(sent), _rate(got), same, gone=got is None
        )


def _at_rest(reference: Scene, arrival: Scene, pairs: Pairs, promises: dict[Any, Passage]) -> Iterator[Fact]:
    """How much shapes are on where nothing moves them; where they went into points, those are looked at."""
    for node in reference.parts():
        other = arrival.nodes.get(pairs.nodes.get(node.id, ""))
        got = other.shape_weights if other is not None else ()
        if not any(node.shape_weights) and not any(got):
            continue
        width = max(len(node.shape_weights), len(got))
        meant, came = (np.pad(np.asarray(w, float), (0, width - len(w))) for w in (node.shape_weights, got))
        promise = promises.get(("motion", node.id, "shapes at rest"))
        inside = promise is not None and promise.mark == "close" and not any(got)
        told, arrived = (" ".join(f"{v:.3g}" for v in held) for held in (meant, came))
        same = bool(np.abs(meant - came).max() <= 1e-5)
        yield Fact(
            "motion",
            node.id,
            "shapes at rest",
            node.name,
            told,
            arrived,
            same,
            gone=not any(got),
            kept=inside,
        )


def _rate(rate: float | None) -> str:
    return f"{rate:.6g} a second" if rate else "not told"


def _skins(reference: Scene, arrival: Scene, pairs: Pairs) -> Iterator[Fact]:
    for skin in reference.skins.values():
        wearing = [n for n in reference.nodes.values() if n.skin == skin.id]
        others = [arrival.nodes.get(pairs.nodes.get(n.id, "")) for n in wearing]
        worn = [arrival.skins.get(o.skin or "") if o is not None else None for o in others]
        same = bool(worn) and all(s is not None and _same_skin(skin, s, pairs) for s in worn)
        gone = all(s is None for s in worn)
        told = f"{len(worn[0].joints)} joints" if worn and worn[0] is not None else "not there"
        yield Fact("motion", skin.id, "skin", skin.name, f"{len(skin.joints)} joints", told, same, gone=gone)
    for node in arrival.nodes.values():
        back = next((r for r, a in pairs.nodes.items() if a == node.id), None) if node.skin else None
        if node.skin and back is not None and reference.nodes[back].skin is None:
            yield Fact("motion", node.id, "skin", node.name, "no skin", "hangs on joints", False)


def _same_skin(meant: Skin, got: Skin, pairs: Pairs) -> bool:
    if [pairs.nodes.get(j) for j in meant.joints] != list(
        got.joints
    ) or meant.inverse_bind.shape != got.inverse_bind.shape:
        return False
    size = max(1.0, float(np.abs(meant.inverse_bind).max(initial=1)))
    return bool(np.abs(meant.inverse_bind - got.inverse_bind).max(initial=0) <= _BIND * size)


def moments(clip: Clip, aspect: str) -> npt.NDArray[np.float64]:
    """Times of the keys and between them, at most so many, the first and the last among them."""
    held = [
        c.times_s.astype(np.float64) for c in clip.channels if (c.path == "weights") == (aspect == "shapes")
    ]
    keys = np.unique(np.concatenate(held)) if held else np.zeros(0)
    # Between keys, away from their middle: a curve and a line often meet there.
    between = keys[:-1] + np.diff(keys) * 0.37
    every = np.unique(np.concatenate([keys, between]))
    if len(every) <= _MOST_MOMENTS:
        return every
    return np.asarray(every[np.unique(np.linspace(0, len(every) - 1, _MOST_MOMENTS).astype(int))])


def _clip(
    clip: Clip,
    other: Clip | None,
    aspect: str,
    reference: Scene,
    arrival: Scene,
    pairs: Pairs,
    promise: Passage | None,
    alone: bool,
) -> Fact:
    times = moments(clip, aspect)
    keys = sum(len(c.times_s) for c in clip.channels)
    told = (
        f"{len(clip.channels)} moving values, {keys} keys, {times.min():.4g} to {times.max():.4g} s"
        if len(times)
        else "nothing"
    )
    still = other is None or not any((c.path == "weights") == (aspect == "shapes") for c in other.channels)
    if other is None or still:
        return Fact("motion", clip.id, aspect, clip.name, told, "stands still", False, gone=True)
    apart, span = _apart(clip, other, aspect, reference, arrival, pairs, times, alone)
    bound = PLACE + (promise.bound * 1.05 if promise is not None and promise.mark == "close" else 0.0)
    # A format may hold the last value to the end of the whole clip, or drop what lasted longer.
    length = min(
        max(abs(a - b) for a, b in zip(_ends(clip, which), _ends(other, which))) for which in (aspect, "")
    )
    same, kept = apart <= PLACE and length < 1e-3, apart <= bound and length < 1e-3
    arrived = (
        f"at most {apart:.2g} off" if apart > PLACE else f"{span:.4g} s, the same at {len(times)} moments"
    )
    return Fact("motion", clip.id, aspect, clip.name, told, arrived, same, kept=kept)


def _apart(
    clip: Clip,
    other: Clip,
    aspect: str,
    reference: Scene,
    arrival: Scene,
    pairs: Pairs,
    times: npt.NDArray[np.float64],
    alone: bool,
) -> tuple[float, float]:
    """The largest difference of any moved part's own matrix, or of any weight; and the seconds that the
    arrival's clip lasts.
    """
    worst = 0.0
    if alone:
        return _in_the_world(clip, other, reference, arrival, pairs, times)
    moved = {c.node for c in clip.channels if (c.path == "weights") == (aspect == "shapes")}
    strange = {c.node for c in other.channels if (c.path == "weights") == (aspect == "shapes")} - {
        pairs.nodes.get(n) for n in moved
    }
    back = {a: r for r, a in pairs.nodes.items()}
    for t in times.tolist():
        here, weights = posed_matrices(reference, clip, t)
        there, got = posed_matrices(arrival, other, t)
        for id in moved | {back[s] for s in strange if s in back}:
            twin = pairs.nodes.get(id, "")
            if twin not in arrival.nodes or id not in reference.nodes:
                return float("inf"), 0.0
            if aspect == "shapes":
                a, b = weights.get(id), got.get(twin)
                worst = max(worst, _gap(a, b))
                continue
            if _bare(reference, id, pairs):
                sides = world_of(reference, here)[id], world_of(arrival, there)[twin]
                worst = max(worst, apart_by(*sides, bare=True))
                continue
            first, second = (
                here.get(id, reference.nodes[id].matrix),
                there.get(twin, arrival.nodes[twin].matrix),
            )
            worst = max(worst, float((np.abs(first - second) / np.maximum(1.0, np.abs(first))).max()))
    start, end = _ends(other, aspect)
    return worst, end - start


def _in_the_world(
    clip: Clip,
    other: Clip,
    reference: Scene,
    arrival: Scene,
    pairs: Pairs,
    times: npt.NDArray[np.float64],
) -> tuple[float, float]:
    """The largest difference of anything's place in the world, and the seconds that the arrival's clip lasts."""
    worst = 0.0
    for t in times.tolist():
        here = world_of(reference, posed_matrices(reference, clip, t)[0])
        there = world_of(arrival, posed_matrices(arrival, other, t)[0])
        for id, twin in pairs.nodes.items():
            node = reference.nodes[id]
            bare = node.mesh is None and bool(node.light or node.camera)
            worst = max(worst, apart_by(here[id], there[twin], bare=bare))
    start, end = _ends(other, "places")
    return worst, end - start


def _bare(scene: Scene, id: str, pairs: Pairs) -> bool:
    """Whether a node only holds a lamp or a camera, which have no size, and what stays behind: where it is in
    the world counts, and where it looks.
    """
    node = scene.nodes[id]
    return (
        node.mesh is None
        and bool(node.light or node.camera)
        and not any(n.parent == id and n.id not in pairs.behind for n in scene.nodes.values())
    )


def _ends(clip: Clip, aspect: str) -> tuple[float, float]:
    """First and last key of a clip's places or shapes, or of all of it, in seconds."""
    held = [
        c
        for c in clip.channels
        if (not aspect or (c.path == "weights") == (aspect == "shapes")) and len(c.times_s)
    ]
    ends = [float(x) for c in held for x in (c.times_s[0], c.times_s[-1])]
    return min(ends, default=0.0), max(ends, default=0.0)


def _gap(first: Any, second: Any) -> float:
    if first is None or second is None:
        one = first if first is not None else second
        return float(np.abs(one).max(initial=0)) if one is not None else 0.0
    return float(np.abs(first - second).max(initial=0)) if len(first) == len(second) else float("inf")
