"""Light at the texels of lightmaps, by the proof's renderer: paths that start on the surface as on a dull
white one.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
import numpy.typing as npt

from trasloco.hands.model import Hands, Shared, in_order
from trasloco.hands.threads import Threads
from trasloco.light.lightmaps.bake_wish import Wish
from trasloco.light.lightmaps.charts import charts_of
from trasloco.light.lightmaps.layout import Laid, map_image
from trasloco.light.lightmaps.texels import Covered, texels_of
from trasloco.progress import Progress, silent
from trasloco.render.arrays import FlatScene
from trasloco.render.flat_lights import LAMPS, REST
from trasloco.render.flatten import flatten
from trasloco.render.picture import passes
from trasloco.render.spreading import OnTexels, TileResult, TileTask, trace_texels
from trasloco.render.starts import EVEN, FROM, ODD
from trasloco.render.tiles import tiles_of
from trasloco.scene.color import luminance
from trasloco.scene.model import Scene

TILE = 32
Floats = npt.NDArray[np.float32]


@dataclass(frozen=True)
class Gathered:
    """Light at the texels of one lightmap, as the paths found it.

    Attributes:
        even, odd: (H, W, 3) mean illuminance in lux of the even and odd samples that count. counted: (H, W)
            how many count. samples: how many there were.
        straight: (H, W, 3) of it what came straight from lamps. toward: (H, W, 3) directions that light came
            from, weighed by its luminance, so 1 long where all comes from one.
        covered: the surface below. rays: traced in all. seconds: of one processor by part, shared out by the
            texels of each tile.
    """

    even: Floats
    odd: Floats
    straight: Floats
    toward: Floats
    counted: Floats
    samples: int
    covered: Covered
    rays: int
    seconds: Mapping[int, float] = field(default_factory=dict)

    @property
    def lux(self) -> Floats:
        """(H, W, 3) mean illuminance of all samples that count."""
        return np.asarray((self.even + self.odd) / 2, np.float32)

    @property
    def error(self) -> Floats:
        """(H, W) standard error of the mean luminance by the two halves, in lux."""
        return np.asarray(np.abs(self.even - self.odd).mean(axis=-1) / 2, np.float32)


class Sums:
    """Sums of the samples of one lightmap so far."""

    def __init__(self, covered: Covered, width: int, height: int, start: Gathered | None) -> None:
        self.covered, self.width, self.height = covered, width, height
        self.even, self.odd, self.straight = (
            np.zeros((height, width, 3)),
            np.zeros((height, width, 3)),
            np.zeros((height, width, 3)),
        )
        self.notes = np.zeros((height, width, 6))
        self.samples, self.rays = 0, 0
        self.seconds: dict[int, float] = {}
        if start is not None and start.even.shape[:2] == (height, width):
            self.samples, self.rays, self.seconds = start.samples, start.rays, dict(start.seconds)
            half = start.counted[..., None] / 2
            self.even[:], self.odd[:], self.straight[:] = (
                start.even * half,
                start.odd * half,
                start.straight * start.counted[..., None],
            )
            self.notes[..., EVEN] = self.notes[..., ODD] = start.counted / 2
            self.notes[..., FROM:] = (
                start.toward * (luminance(start.lux) * start.counted / math.pi)[..., None]
            )
        filled = covered.touched
        self.tiles = [
            (x0, x1, y0, y1) for x0, x1, y0, y1 in tiles_of(width, height, TILE) if filled[y0:y1, x0:x1].any()
        ]

    def add(self, found: TileResult) -> None:
        x0, x1, y0, y1 = found.task.tile
        self.even[y0:y1, x0:x1] += found.even.sum(axis=0)
        self.odd[y0:y1, x0:x1] += found.odd.sum(axis=0)
        self.straight[y0:y1, x0:x1] += found.even[0] + found.odd[0]
        self.notes[y0:y1, x0:x1] += found.guides
        self.rays += found.rays
        parts, texels = np.unique(self.covered.part[y0:y1, x0:x1], return_counts=True)
        whole = int(texels[parts >= 0].sum())
        for part, count in zip(parts.tolist(), texels.tolist(), strict=True):
            if part >= 0:
                self.seconds[part] = self.seconds.get(part, 0.0) + found.seconds * count / whole

    def gathered(self) -> Gathered:
        evens, odds = self.notes[..., EVEN, None], self.notes[..., ODD, None]
        even, odd = self.even / np.maximum(evens, 1), self.odd / np.maximum(odds, 1)
        even, odd = np.where(evens > 0, even, odd), np.where(odds > 0, odd, even)
        straight = self.straight / np.maximum(evens + odds, 1)
        # Directions are noted by radiance sent on; illuminance is pi times that.
        toward = (
            self.notes[..., FROM:] * math.pi / np.maximum(luminance(self.even + self.odd), 1e-12)[..., None]
        )
        return Gathered(
            even.astype(np.float32),
            odd.astype(np.float32),
            straight.astype(np.float32),
            toward.astype(np.float32),
            (evens + odds)[..., 0].astype(np.float32),
            self.samples,
            self.covered,
            self.rays,
            dict(self.seconds),
        )


def light_scene(reference: Scene, delivered: Scene) -> Scene:
    """What lights the lightmaps: delivered shapes with the materials, lights and surroundings of the
    reference, so that what cannot travel as a light still lights.
    """
    nodes = {
        id: replace(node, light=reference.nodes[id].light, lightmap=reference.nodes[id].lightmap)
        if id in reference.nodes
        else node
        for id, node in delivered.nodes.items()
    }
    nodes.update(
        {
            id: node
            for id, node in reference.nodes.items()
            if id not in nodes and node.light is not None and (node.parent is None or node.parent in nodes)
        }
    )
    return replace(
        delivered,
        nodes=nodes,
        materials={**delivered.materials, **reference.materials},
        images={**delivered.images, **reference.images},
        lights=reference.lights,
        environment=reference.environment,
    )


def charts_of_flat(flat: FlatScene) -> npt.NDArray[np.int32]:
    """Number of the chart of every triangle (T,), running on over parts."""
    found = np.full(len(flat.arrays.triangles), -1, np.int32)
    start = 0
    for part in range(len(flat.part_ids)):
        mine = np.flatnonzero(flat.arrays.triangle_part == part)
        if len(mine):
            number = charts_of(flat.arrays.uv2, flat.arrays.triangles[mine].astype(np.uint32))
            found[mine] = number + start
            start += int(number.max()) + 1
    return found


OnBake = Callable[[Sequence[Gathered]], None]


def gather(
    laid: Laid,
    wish: Wish,
    progress: Progress = silent,
    on_pass: OnBake | None = None,
    start: Sequence[Gathered | None] | None = None,
    flat: FlatScene | None = None,
    hands: Hands | None = None,
) -> list[Gathered]:
    """Light at the texels of every lightmap, progressively over all of them.

    ``progress`` may raise to cancel; ``on_pass`` gets what there is after each pass, and ``start`` goes on
    from it, lightmap by lightmap. A ``flat`` scene keeps straight light apart. ``hands`` do the work instead
    of threads of our own. With a time budget it ends after the pass in which that is spent.
    """
    flat = flat or flatten(laid.scene, "straight")
    assert flat.layers == (LAMPS, REST), "light straight from lamps must be kept apart"
    chart_of = charts_of_flat(flat)
    maps = []
    for number, (width, height) in enumerate(laid.sizes):
        covered = texels_of(flat, laid.scene, map_image(number), width, height, chart_of)
        maps.append(
            Sums(covered, width, height, start[number] if start is not None and number < len(start) else None)
        )
    settings = np.zeros(18)
    settings[17] = 1.0
    total = max(sum(len(m.tiles) * max(wish.samples - m.samples, 0) for m in maps), 1)
    done, began = 0, time.monotonic()
    on_texels = OnTexels(flat, tuple(one.covered.texels for one in maps))
    scene = Shared(on_texels, (flat.content, on_texels.images))
    for _, last in passes(wish.samples, min((m.samples for m in maps), default=0)):
        for number, one in enumerate(maps):
            if one.samples >= last:
                continue
            shifted = settings.copy()
            shifted[15] = number
            tasks = [
                (
                    number,
                    TileTask(shifted, one.width, one.height, tile, one.samples, last, wish.bounces + 1),
                )
                for tile in one.tiles
            ]
            for found in in_order(hands or Threads(wish.threads), trace_texels, scene, tasks):
                one.add(found)
                done += last - one.samples
                progress(done / total, f"{last} of {wish.samples} paths a texel")
            one.samples = last
        if on_pass is not None:
            on_pass([m.gathered() for m in maps])
        if wish.seconds and last >= 2 and time.monotonic() - began >= wish.seconds:
            break
    return [m.gathered() for m in maps]
