"""A camera that is about right, moved until what is rendered through it lies on a picture.

Places of the rendered picture are looked for in the other one by their surroundings, outlines alone, so that
another light does little harm; the camera is solved for what was found, and rendered again.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import ndimage

from trasloco.errors import Refused
from trasloco.inventory.world import WorldTriangles
from trasloco.outside.camera import LEAST_POINTS, FoundCamera, camera_from_points
from trasloco.outside.registering import Alignment, Floats, aligned, laid_over, outlines, places, resized
from trasloco.outside.showing import best_shown, displayed_by
from trasloco.render.picture import Picture, View
from trasloco.render.seen import seen_by
from trasloco.scene.model import Doubles

WIDTH = 480
"""How wide pictures are looked at."""
_ROUNDS = ((36, True), (14, False), (6, False))
"""How far a place is looked for in pixels, and whether size, turn and place of the whole come first."""
_PLACES, _HALF = 220, 10
"""How many places are looked for, and half of the side of what surrounds them, pixels."""
_ALIKE = 0.55
"""The least correlation of a place with what it is taken for."""
_WRONG = 3.0
"""Places so many times as far off as the usual one are left out."""
_APART = 5
LEAST_FOUND = 16
"""So many places must be found again for the camera to be believed."""
MOST_OFF_PX = 2.5

Draw = Callable[[View, int, int], Picture]
"""Renders a view, this wide and high."""


@dataclass(frozen=True)
class Nearby:
    """The camera, how many places of the scene were found again in the picture, and how far off they lie, in
    pixels of the picture.
    """

    camera: FoundCamera
    found_again: int
    off_px: float
    width: int

    @property
    def found(self) -> bool:
        return self.found_again >= LEAST_FOUND and self.off_px <= MOST_OFF_PX * self.width / WIDTH


def camera_nearby(world: WorldTriangles, draw: Draw, start: FoundCamera, picture: Floats) -> Nearby:
    """Move a camera until what is rendered through it lies on a picture (H, W, 3), display light, taken from
    about there.
    """
    width = picture.shape[1]
    height = max(round(WIDTH * picture.shape[0] / width), 16)
    seen = resized(picture, WIDTH, height)
    made = Nearby(start, 0, float("inf"), width)
    for reach, whole in _ROUNDS:
        view = made.camera.view("nearby", WIDTH / height)
        drawn = draw(view, WIDTH, height)
        shown = displayed_by(drawn.radiance, best_shown(drawn.radiance.reshape(-1, 3), seen.reshape(-1, 3)))
        alignment = aligned(seen, shown) if whole else Alignment()
        if not alignment.found:
            alignment = Alignment()
        here, there = _found_again(outlines(shown, 1.2), outlines(laid_over(seen, alignment)[0], 1.2), reach)
        rows, columns = places(alignment, there[:, 1], there[:, 0], WIDTH, height)
        solid, on_model = _on_model(world, view, height, here)
        pixels = np.stack([columns, rows], axis=-1)[solid] + 0.5
        found = _solved(on_model, pixels, height, made.camera, width / WIDTH, width)
        if found is None:
            break
        made = found
    return made


def _found_again(rendered: Doubles, other: Doubles, reach: int) -> tuple[Doubles, Doubles]:
    """Corners (N, 2) of a rendered picture's outlines, right and down, and where each lies in the other's."""
    from skimage.feature import corner_harris, corner_peaks, match_template

    edge = _HALF + 1
    corners = corner_peaks(
        corner_harris(rendered, sigma=2), min_distance=_APART, num_peaks=_PLACES, exclude_border=edge
    )
    here, there = [], []
    padded = np.pad(other, reach)
    for row, column in corners:
        patch = rendered[row - _HALF : row + _HALF + 1, column - _HALF : column + _HALF + 1]
        # What lies about the place, as far as it may have gone.
        window = padded[
            row - _HALF : row + _HALF + 1 + 2 * reach, column - _HALF : column + _HALF + 1 + 2 * reach
        ]
        if patch.std() < 1e-9 or window.std() < 1e-9:
            continue
        alike = match_template(window, patch)
        down, right = np.unravel_index(int(alike.argmax()), alike.shape)
        if alike[down, right] < _ALIKE:
            continue
        sharp = _between(alike, int(down), int(right))
        here.append((column, row))
        there.append((column + right - reach + sharp[0], row + down - reach + sharp[1]))
    return np.array(here, np.float64).reshape(-1, 2), np.array(there, np.float64).reshape(-1, 2)


def _between(alike: Doubles, down: int, right: int) -> tuple[float, float]:
    """Where between pixels the top lies, by a parabola each way."""
    made = []
    for line, at in ((alike[down], right), (alike[:, right], down)):
        if not 0 < at < len(line) - 1:
            made.append(0.0)
            continue
        before, top, after = line[at - 1 : at + 2]
        bend = before - 2 * top + after
        made.append(float(np.clip(0.5 * (before - after) / bend, -0.5, 0.5)) if bend < 0 else 0.0)
    return made[0], made[1]


def _on_model(
    world: WorldTriangles, view: View, height: int, pixels: Doubles
) -> tuple[npt.NDArray[np.bool_], Doubles]:
    """Which pixels (N, 2) show the model well within a surface, and their places (M, 3)."""
    through = seen_by(world.rays, view, WIDTH, height)
    depth = np.where(through.hit >= 0, through.far, 1e9)
    # A place beside a silhouette is taken on what is in front: the edge that was found is its own.
    nearest_about = ndimage.minimum_filter(depth, 3)
    at = pixels.astype(int)
    ahead = nearest_about[at[:, 1], at[:, 0]] if len(at) else np.zeros(0)
    solid = ahead < 1e8
    directions = through.looks[at[solid, 1], at[solid, 0]] if len(at) else np.zeros((0, 3))
    return solid, through.eye + directions * ahead[solid, None]


def _solved(
    on_model: Doubles, pixels: Doubles, height: int, near: FoundCamera, scale: float, width: int
) -> Nearby | None:
    """The camera of places found again, what was found wrongly left out; None where there are too few."""
    camera = near
    for _ in range(4):
        if len(on_model) < LEAST_POINTS + 2:
            return None
        try:
            camera = camera_from_points(on_model, pixels, WIDTH, height, camera)
        except Refused:
            return None
        off = np.array(camera.off_px)
        keep = off <= max(_WRONG * float(np.median(off)), 1.0)
        if keep.all():
            break
        on_model, pixels = on_model[keep], pixels[keep]
    off_px = float(np.sqrt((off[keep] ** 2).mean())) * scale
    return Nearby(camera, int(keep.sum()), off_px, width)
