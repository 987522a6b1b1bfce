"""One's own pictures: cameras from eight points with a pixel of noise, and lamps solved from random mixes."""

from __future__ import annotations

import math
import time
from collections.abc import Iterator
from contextlib import contextmanager
from unittest import mock

import numpy as np

from bench.report import Benchmark
from bench.size import SMALL, sized, teatrino
from trasloco.render.picture import View
from trasloco.scene.model import Scene

CAMERAS, MIXES, MISSING, CLOSE = sized(200, 4), sized(100, 2), sized(16, 1), 0.03
LEAST_SHARE = 0.02
"""Lamps that give less of the picture's light are not counted."""
SPOTS, POOL_CM = sized(10, 1), 15.0


def _cameras() -> Benchmark:
    """Half of them see places in a room, half on a floor."""
    from trasloco.outside.camera import FoundCamera, camera_from_points, projected
    from trasloco.scene.transforms import looking

    rng, off = np.random.default_rng(1), []
    width, height = 1280, 720
    for number in range(CAMERAS):
        way = rng.normal(size=3)
        way[1] = abs(way[1]) + 0.2
        eye = way / np.linalg.norm(way) * rng.uniform(3, 8)
        camera = FoundCamera(looking(list(eye), list(rng.normal(size=3) * 0.3)), rng.uniform(0.3, 1.2))
        places = rng.uniform(-1.5, 1.5, (400, 3)) * ([1, number % 2, 1])
        pixels = projected(camera, places, width, height)
        inside = np.flatnonzero(((pixels > 0) & (pixels < [width, height])).all(axis=1))[:8]
        world, seen = places[inside], pixels[inside]
        found = camera_from_points(world, seen + rng.normal(size=seen.shape), width, height)
        apart = np.linalg.norm(projected(found, world, width, height) - seen, axis=1)
        off.append(float(np.sqrt((apart**2).mean())))
    return Benchmark(
        f"camera of eight points with a pixel of noise, median of {CAMERAS}",
        float(np.median(off)),
        "px",
        "what seven numbers must take up of the noise of sixteen",
        math.sqrt(2 * 7 / 16),
        1.0 / math.sqrt(2 * 7 / 16),
    )


def _counter() -> Scene:
    from tests.outside import counter

    return counter(2)


def _seen_from(scene: Scene) -> View:
    from tests.outside import VIEW
    from trasloco.render.picture import views_of

    return VIEW if SMALL else views_of(scene)[0]


def _lamps() -> Benchmark:
    """Each strength by a quarter to four times, shown by every curve in turn, in eight bits, with a hundredth
    of noise; the truth is rendered apart from the layers.
    """
    from trasloco.outside.light_match import matched
    from trasloco.outside.showing import CURVES, Shown, displayed_by
    from trasloco.outside.turning import lamps_of
    from trasloco.render.exposure import SATURATION, auto_ev100
    from trasloco.render.flatten import flatten
    from trasloco.render.picture import Quality, render
    from trasloco.scene.color import linear_to_srgb, luminance, srgb_to_linear

    scene = _counter() if SMALL else teatrino()
    view, flat = _seen_from(scene), flatten(scene, "apart")
    wide, high = sized(480, 96), sized(270, 54)
    made = render(flat, view, Quality(wide, high, sized(48, 8), 3))
    lamps = lamps_of(made)
    truth = lamps_of(render(flat, view, Quality(wide, high, sized(160, 8), 3, seed=77))).radiance
    where, rng = made.ids[..., 0] >= 0, np.random.default_rng(2)
    close = counted = 0
    for number in range(MIXES):
        gains = 2 ** rng.uniform(-2, 2, len(lamps.names))
        light = np.tensordot(gains, truth, axes=1) * (1 + 0.01 * rng.normal(size=truth.shape[1:]))
        curve = list(CURVES)[number % len(CURVES)]
        shown = displayed_by(
            light.astype(np.float32), Shown(curve, -auto_ev100(light) - math.log2(SATURATION))
        )
        codes = np.round(linear_to_srgb(shown) * 255) / 255
        found = matched(srgb_to_linear(codes).astype(np.float32), lamps, where, curve)
        shares = np.array([float(luminance(one[where]).mean()) for one in truth]) * gains
        shares /= shares.sum()
        solved = np.array([one.gain for one in found.lamps]) / gains
        seen = shares >= LEAST_SHARE
        solved /= np.median(solved[seen])
        close += int((np.abs(solved[seen] - 1) < CLOSE).sum())
        counted += int(seen.sum())
    return Benchmark(
        f"lamps within 3 % that give 2 % of the picture, of {counted} in {MIXES} mixes",
        close,
        "lamps",
        "all of them",
        counted,
        0.95,
        more_is_better=True,
    )


@contextmanager
def _looking() -> Iterator[None]:
    """Looking as artists do; in pictures in which nothing can be seen where only that it is looked is asked."""
    from tests.core.test_new_lamps import LARGER, few_tries
    from trasloco.render.picture import Quality

    if not SMALL:
        with mock.patch("tests.core.test_new_lamps.QUALITY", LARGER):
            yield
        return
    with (
        few_tries(1),
        mock.patch("tests.core.test_new_lamps.QUALITY", Quality(64, 36, 4, 2)),
        mock.patch.multiple(
            "trasloco.outside.lamp_trial", _TRIED=Quality(48, 27, 2, 2), _COARSE=Quality(24, 14, 2, 1)
        ),
        mock.patch.multiple("trasloco.outside.lamp_places", _SUNS=40, _ROOM=(3, 2, 3)),
    ):
        yield


def _missing() -> list[Benchmark]:
    """Suns and points in turn, anywhere about a table, taken away again before they are looked for."""
    from tests.core.test_new_lamps import few_tries, looked_for, photographed, with_lamp
    from tests.outside import counter
    from trasloco.scene.lit import Light
    from trasloco.scene.transforms import looking

    rng, near, seconds = np.random.default_rng(5), 0, []
    for number in range(MISSING):
        kind = "point" if number % 2 else "sun"
        toward = rng.normal(size=3) * [1, 0.6, 0.6] + [0, 1.0, 0.8]
        toward /= np.linalg.norm(toward)
        place = np.array([rng.uniform(-1.2, 1.2), rng.uniform(1.0, 2.2), rng.uniform(0, 1.8)])
        light = Light("light:x", "x", "point" if number % 2 else "sun", intensity=9.0 if number % 2 else 5.0)
        stands = place if number % 2 else 5 * toward
        given = counter(number % 4 + 1)
        with few_tries(1) if SMALL else _looking():
            picture = photographed(with_lamp(given, light, looking(list(stands), (0.0, 0.0, 0.1))))
            began = time.perf_counter()
            found = looked_for(given, picture).lamps
        seconds.append(time.perf_counter() - began)
        if found and found[0].light.kind == kind:
            matrix = found[0].matrix
            near += (
                float(np.linalg.norm(matrix[:3, 3] - place)) < 0.15
                if kind == "point"
                else math.degrees(math.acos(min(float(matrix[:3, 2] @ toward), 1.0))) < 2
            )
    return [
        Benchmark(
            f"missing lamps put within 2 degrees or 15 cm, of {MISSING}",
            near,
            "lamps",
            "all of them",
            MISSING,
            0.8,
            more_is_better=True,
        ),
        Benchmark(
            "a missing lamp looked for, median",
            float(np.median(seconds)),
            "s",
            "what an artist waits",
            30,
            1.0,
        ),
    ]


def _pools() -> Benchmark:
    """Spots at random over a table, taken away again before they are looked for: where their axis meets it. One
    that is not found is guessed in the middle.
    """
    from tests.core.test_new_lamps import looked_for, photographed, with_lamp
    from tests.outside import counter
    from trasloco.scene.lit import Light
    from trasloco.scene.transforms import looking

    off = []
    for number in range(1, SPOTS + 1):
        rng = np.random.default_rng(number)
        place, aim = rng.uniform([-1.5, 0.8, -0.5], [1.5, 2, 1.6]), rng.uniform([-0.7, 0, 0.3], [0.7, 0, 1.0])
        outer = rng.uniform(0.2, 0.5)
        spot = Light("light:x", "x", "spot", intensity=60.0, inner_cone_rad=0.7 * outer, outer_cone_rad=outer)
        given = counter(number % 4 + 1)
        with _looking():
            picture = photographed(with_lamp(given, spot, looking(list(place), list(aim))))
            found = looked_for(given, picture).lamps
        pool = np.zeros(3)
        if found and found[0].light.kind == "spot":
            eye, way = found[0].matrix[:3, 3], -found[0].matrix[:3, 2]
            pool = eye - way * eye[1] / way[1]
        off.append(float(np.linalg.norm(pool - aim)))
    return Benchmark(
        f"pool of a missing spot, median of {SPOTS}",
        100 * float(np.median(off)),
        "cm off",
        "as near as a point is put",
        POOL_CM,
        1.0,
    )


def run() -> list[Benchmark]:
    return [_cameras(), _lamps(), *_missing(), _pools()]
