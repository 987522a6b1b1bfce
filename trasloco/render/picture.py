"""Pictures: cameras and progressive rendering over threads."""

from __future__ import annotations

import itertools
import math
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.hands.model import Hands, Shared, in_order
from trasloco.hands.threads import Threads
from trasloco.processors import processors
from trasloco.progress import Progress, silent
from trasloco.render.arrays import FlatScene
from trasloco.render.spreading import TileResult, TileTask, trace
from trasloco.render.tiles import pieces, tiles_of
from trasloco.scene.extent import bounds
from trasloco.scene.model import Doubles, Scene
from trasloco.scene.transforms import looking

Floats = npt.NDArray[np.float32]
WHOLE = (0.0, 0.0, 1.0, 1.0)


@dataclass(frozen=True)
class View:
    """Where a picture is taken from. ``matrix`` is camera to world, looking along -Z; ``yfov_rad`` the full
    vertical angle. A lens with a radius has only ``focus_m`` sharp.

    A frame ``aspect`` times as wide as high is held whole in a picture of another shape; 0 fits the height
    alone. ``clip`` and ``time_s`` are the moment, ``environment`` the id of an image that surrounds it; empty
    for the scene as it stands. ``window`` is the part of the frame that fills the picture: left, top, right
    and bottom from 0 to 1. ``shift`` is how far the frame lies right of and below the middle that the lens
    looks at, as shares of its width and height.
    """

    name: str
    matrix: Doubles
    yfov_rad: float
    lens_radius_m: float = 0.0
    focus_m: float = 1.0
    clip: str = ""
    time_s: float = 0.0
    environment: str = ""
    aspect: float = 0.0
    window: tuple[float, float, float, float] = WHOLE
    shift: tuple[float, float] = (0.0, 0.0)


@dataclass(frozen=True)
class Quality:
    """Size in pixels, samples a pixel, bounces, threads (0 for all), seconds after which to stop (0 for
    never), radius of the tent-shaped pixel filter, and which set of random numbers (both sides of a proof
    share one).

    A ``preview`` is quick where that can be had: light under the skin by diffusion instead of a walk. It is
    never measured.
    """

    width: int = 640
    height: int = 360
    samples: int = 32
    bounces: int = 4
    threads: int = 0
    seconds: float = 0.0
    filter_px: float = 1.0
    seed: int = 0
    preview: bool = False

    @property
    def workers(self) -> int:
        return self.threads or processors()


@dataclass(frozen=True)
class Picture:
    """What the renderer made.

    Attributes:
        even, odd: (H, W, 3) float32 mean radiance in nit of the even and odd samples. ids: (H, W, 2) material
            and part number of the pixel centre, -1 for none.
        samples: a pixel; the least of any where ``counts`` (H, W) tells how many each has. rays: traced in all. guides: (H, W, 6) mean base colour and normal of the first hit.
        layers: (2, L, H, W, 3) even and odd means of each light alone, where they were kept apart.
            layer_names: which.
    """

    even: Floats
    odd: Floats
    ids: npt.NDArray[np.int32]
    samples: int
    rays: int
    guides: Floats = field(default_factory=lambda: np.zeros((0, 0, 6), np.float32))
    layers: Floats | None = None
    layer_names: tuple[str, ...] = ()
    counts: npt.NDArray[np.int32] | None = None

    @property
    def radiance(self) -> Floats:
        """(H, W, 3) mean radiance of all samples, nit."""
        share = odd_share(self.samples if self.counts is None else self.counts[..., None])
        return np.asarray(self.even * (1 - share) + self.odd * share, np.float32)

    @property
    def spent(self) -> float:
        """Samples a pixel in the mean."""
        return float(self.samples if self.counts is None else self.counts.mean())


def odd_share(samples: Any) -> Any:
    """The share of odd samples among so many."""
    return samples // 2 / np.maximum(samples, 1)


def views_of(scene: Scene) -> list[View]:
    """The scene's cameras as views; a framing of everything when it has none."""
    world = scene.world_matrices()
    found = [
        View(
            camera.name,
            rigid(world[node.id]),
            camera.yfov_rad,
            camera.lens_radius_m,
            camera.focus_m or 1.0,
            aspect=camera.aspect or 0.0,
            shift=camera.shift,
        )
        for node in scene.nodes.values()
        if (camera := scene.cameras.get(node.camera or "")) is not None
    ]
    return found or [framing(scene)]


def rigid(matrix: Doubles) -> Doubles:
    """A camera matrix without scale."""
    clean = matrix.copy()
    clean[:3, :3] /= np.maximum(np.linalg.norm(matrix[:3, :3], axis=0), 1e-30)
    return clean


def framing(scene: Scene, name: str = "Overview", yfov_rad: float = 0.6) -> View:
    """A view from the front, slightly above and to the right, that holds all parts."""
    box = bounds(scene)
    low, high = box if box is not None else (np.zeros(3), np.ones(3))
    center = (low + high) / 2
    slope = math.tan(yfov_rad / 2) / 1.08  # a margin of 8 % in a picture of 16:9
    eye = center + away_from(low, high, slope * 16 / 9, slope)
    return View(name, looking(list(eye), list(center)), yfov_rad)


def away_from(low: Doubles, high: Doubles, wide: float, tall: float) -> Doubles:
    """How far from the middle of a box (3,), and which way, one stands before it, slightly above and to the
    right, so that every corner is seen within two slopes: half the picture's width and height at a distance
    of one.
    """
    direction = np.array([0.35, 0.18, 1.0]) / np.linalg.norm([0.35, 0.18, 1.0])
    turn = looking(list(direction), (0, 0, 0))[:3, :3]
    corners = (
        np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        - (low + high) / 2
    )
    seen = corners @ turn
    distance = max(
        float((np.abs(seen[:, 1]) / tall + seen[:, 2]).max()),
        float((np.abs(seen[:, 0]) / wide + seen[:, 2]).max()),
        1e-3,
    )
    return np.asarray(direction * distance)


def _camera_numbers(view: View, quality: Quality) -> Doubles:
    # Framing is kept: in a picture narrower than the frame, its width fits and more is seen above and below.
    left, top, end, bottom = view.window
    wide, high = end - left, bottom - top
    shape = quality.width / wide / (quality.height / high)  # of the whole frame
    half = math.tan(view.yfov_rad / 2) * max(1.0, view.aspect / shape)
    slope = 2 * math.tan(view.yfov_rad / 2)  # of the frame's height; its own shape, or that of the picture
    across, down = view.shift[0] * slope * (view.aspect or shape), view.shift[1] * slope
    right, up, back, eye = view.matrix[:3, 0], view.matrix[:3, 1], view.matrix[:3, 2], view.matrix[:3, 3]
    return np.concatenate(
        [
            eye,
            right * half * shape * wide,
            up * half * high,
            -back
            + right * (half * shape * (left + end - 1) + across)
            + up * (half * (1 - top - bottom) - down),
            [view.lens_radius_m, view.focus_m, quality.filter_px, quality.seed, float(quality.preview), 0.0],
        ]
    )


def frame_of(view: View, width: int, height: int) -> tuple[Doubles, Doubles]:
    """Where a view looks from (3,), and the unit directions (H, W, 3) of its pixels' middles."""
    c = _camera_numbers(view, Quality(width, height))
    x, y = 2 * (np.arange(width) + 0.5) / width - 1, 1 - 2 * (np.arange(height) + 0.5) / height
    looks = c[9:12] + x[None, :, None] * c[3:6] + y[:, None, None] * c[6:9]
    return c[:3], looks / np.linalg.norm(looks, axis=-1, keepdims=True)


def passes(samples: int, done: int = 0) -> list[tuple[int, int]]:
    """Sample ranges of the progressive passes: 1, 1, 2, 4, 8, then eights; from ``done`` on."""
    edges = [done]
    while edges[-1] < samples:
        edges.append(min(samples, edges[-1] + max(1, min(edges[-1], 8))))
    return list(itertools.pairwise(edges))


class _Film:
    """Sums of samples so far, and how many there are of each pixel."""

    def __init__(self, flat: FlatScene, quality: Quality, start: Picture | None) -> None:
        shape = (quality.height, quality.width)
        self.layers = len(flat.layers)
        self.even, self.odd = np.zeros((self.layers, *shape, 3)), np.zeros((self.layers, *shape, 3))
        self.guides, self.ids = np.zeros((*shape, 6)), np.full((*shape, 2), -1, np.int32)
        self.counts, self.rays, self.names = np.zeros(shape, np.int32), 0, flat.layers
        if (
            start is not None
            and start.even.shape[:2] == shape
            and start.layer_names == (flat.layers if self.layers > 1 else ())
        ):
            self.counts[:] = start.samples if start.counts is None else start.counts
            evens, odds = self._halves()
            even, odd = (start.even, start.odd) if start.layers is None else start.layers
            self.even[:], self.odd[:] = even * evens, odd * odds
            self.guides[:], self.ids[:] = start.guides * self.counts[..., None], start.ids
            self.rays = start.rays

    def _halves(self) -> tuple[Any, Any]:
        """(H, W, 1) how many even and odd samples."""
        odds = (self.counts // 2)[..., None]
        return self.counts[..., None] - odds, odds

    def add(self, found: TileResult) -> None:
        x0, x1, y0, y1 = found.task.tile
        self.even[:, y0:y1, x0:x1] += found.even
        self.odd[:, y0:y1, x0:x1] += found.odd
        self.guides[y0:y1, x0:x1] += found.guides
        if found.ids is not None:
            self.ids[y0:y1, x0:x1] = found.ids
        self.counts[y0:y1, x0:x1] += found.task.last - found.task.first
        self.rays += found.rays

    def picture(self) -> Picture:
        evens, odds = self._halves()
        even, odd = self.even / np.maximum(evens, 1), self.odd / np.maximum(odds, 1)
        apart = np.stack([even, odd]).astype(np.float32) if self.layers > 1 else None
        least = int(self.counts.min()) if self.counts.size else 0
        return Picture(
            even.sum(axis=0).astype(np.float32),
            odd.sum(axis=0).astype(np.float32),
            self.ids.copy(),
            least,
            self.rays,
            (self.guides / np.maximum(self.counts, 1)[..., None]).astype(np.float32),
            apart,
            self.names if self.layers > 1 else (),
            self.counts.copy() if self.counts.max(initial=0) > least else None,
        )


class Rendering:
    """A picture in the making: how many more samples each of its tiles gets is asked for step by step.

    Args:
        hands: who traces its tiles. start: a picture of the same scene, view and size to go on from.
    """

    def __init__(
        self, hands: Hands, flat: FlatScene, view: View, quality: Quality, start: Picture | None = None
    ) -> None:
        self.quality, self._hands = quality, hands
        self._scene = Shared(flat, flat.content)
        self._film = _Film(flat, quality, start)
        self._camera = _camera_numbers(view, quality)
        self.tiles = tiles_of(quality.width, quality.height)

    @property
    def done(self) -> list[int]:
        """Samples that each tile has."""
        return [int(self._film.counts[y0, x0]) for x0, _, y0, _ in self.tiles]

    @property
    def spent(self) -> int:
        """Samples of all pixels."""
        return int(self._film.counts.sum())

    def more(self, wanted: Sequence[int], heard: Callable[[int], None] = lambda count: None) -> None:
        """Bring each tile to so many samples; those that have as many stay. ``heard`` hears of the samples of
        all pixels as they are there, and may raise to stop.
        """
        quality = self.quality
        tasks = [
            TileTask(self._camera, quality.width, quality.height, tile, first, last, quality.bounces)
            for tile, first, last in pieces(self.tiles, self.done, wanted)
        ]
        for found in in_order(self._hands, trace, self._scene, tasks):
            self._film.add(found)
            heard(found.task.samples)

    def picture(self) -> Picture:
        """As far as it is."""
        return self._film.picture()


def render(
    flat: FlatScene,
    view: View,
    quality: Quality,
    progress: Progress = silent,
    on_pass: Callable[[Picture], None] | None = None,
    start: Picture | None = None,
    hands: Hands | None = None,
) -> Picture:
    """Render a view progressively.

    ``on_pass`` gets the picture so far after each pass. ``progress`` may raise to cancel. ``start`` goes on
    from a picture of the same scene, view and size.
    ``hands`` do the work instead of threads of our own. With a time budget it ends after the pass in which
    that is spent.
    """
    done, began = 0, time.monotonic()
    making = Rendering(hands or Threads(quality.threads), flat, view, quality, start)
    had = min(making.done, default=0)
    pixels = max(quality.width * quality.height, 1)
    total = max(pixels * (quality.samples - had), 1)

    def heard(count: int) -> None:
        nonlocal done
        done += count
        there = min(had + -(-done // pixels), quality.samples)
        progress(min(done / total, 1.0), f"{there} of {quality.samples} samples")

    # Where nobody looks on, all samples at once: each pass costs as much for its tiles as a sample does.
    by_passes = on_pass is not None or quality.seconds
    for _, last in passes(quality.samples, had) if by_passes else [(had, quality.samples)]:
        making.more([last] * len(making.tiles), heard)
        if on_pass is not None:
            on_pass(making.picture())
        if quality.seconds and last >= 2 and time.monotonic() - began >= quality.seconds:
            break
    return making.picture()
