"""A picture from elsewhere laid over a rendered one: how it is enlarged, turned and shifted against it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy import fft, ndimage, optimize

from trasloco.scene.color import luminance

Floats = npt.NDArray[np.float32]
Doubles = npt.NDArray[np.float64]
_SCALES = np.geomspace(0.62, 1.62, 25)
"""How much larger things may be in the picture than in the rendered one."""
FOUND = 0.25
"""The least correlation of outlines at which two pictures are taken to show the same thing."""


@dataclass(frozen=True)
class Alignment:
    """A place of the rendered picture to one of the other, both in pixels of the rendered one's grid: about
    the middle enlarged by ``scale``, turned by ``angle_rad``, then shifted by ``right`` and ``down``.

    ``score`` is the correlation of their outlines, from -1 to 1.
    """

    scale: float = 1.0
    angle_rad: float = 0.0
    right: float = 0.0
    down: float = 0.0
    score: float = 0.0

    @property
    def found(self) -> bool:
        return self.score >= FOUND


def outlines(linear: Floats, blur_px: float = 1.0) -> Doubles:
    """Strength of edges (H, W) of displayed values (H, W, 3), alike for bright and dark pictures: gradients
    of the logarithm, the strongest held back.
    """
    light = np.log(np.maximum(luminance(np.asarray(linear, np.float64)), 0.003))
    found = np.hypot(
        ndimage.gaussian_filter(light, blur_px, order=(0, 1)),
        ndimage.gaussian_filter(light, blur_px, order=(1, 0)),
    )
    found = np.minimum(found, np.percentile(found, 98) + 1e-9)
    return np.asarray(found - found.mean())


def resized(linear: Floats, width: int, height: int) -> Floats:
    """A picture (H, W, 3) at another size; what becomes smaller is averaged."""
    from skimage.transform import resize

    return np.asarray(resize(linear, (height, width, 3), order=1, anti_aliasing=True), np.float32)


def covered(mask: npt.NDArray[np.bool_], width: int, height: int) -> npt.NDArray[np.bool_]:
    """Where a mask (H, W) at another size is True all through."""
    return resized(np.repeat(mask[..., None].astype(np.float32), 3, axis=2), width, height)[..., 0] > 0.99


def sampled(linear: Floats, rows: Doubles, columns: Doubles) -> tuple[Floats, npt.NDArray[np.bool_]]:
    """A picture (H, W, 3) at rows and columns (H, W), and where these lie within it."""
    height, width = linear.shape[:2]
    made = np.stack(
        [ndimage.map_coordinates(linear[..., k], (rows, columns), order=1, mode="nearest") for k in range(3)],
        axis=-1,
    )
    inside = (rows >= 0) & (rows <= height - 1) & (columns >= 0) & (columns <= width - 1)
    return np.asarray(made, np.float32), inside


def laid_over(linear: Floats, alignment: Alignment) -> tuple[Floats, npt.NDArray[np.bool_]]:
    """The picture (H, W, 3) as it lies over the rendered one, and where it reaches."""
    return sampled(linear, *_places(alignment, *linear.shape[:2]))


def _places(one: Alignment, height: int, width: int) -> tuple[Doubles, Doubles]:
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    return places(one, y, x, width, height)


def places(one: Alignment, y: Doubles, x: Doubles, width: int, height: int) -> tuple[Doubles, Doubles]:
    """Rows and columns of the picture at which places of the rendered one lie."""
    y, x = y - (height - 1) / 2, x - (width - 1) / 2
    cosine, sine = one.scale * np.cos(one.angle_rad), one.scale * np.sin(one.angle_rad)
    return (
        sine * x + cosine * y + (height - 1) / 2 + one.down,
        cosine * x - sine * y + (width - 1) / 2 + one.right,
    )


def _correlation(first: Doubles, second: Doubles) -> float:
    a, b = first - first.mean(), second - second.mean()
    size = float(np.sqrt((a * a).sum() * (b * b).sum()))
    return float((a * b).sum()) / size if size > 1e-12 else 0.0


def aligned(picture: Floats, rendered: Floats) -> Alignment:
    """How a picture lies against a rendered one of the same size (H, W, 3), both displayed values, linear.

    Coarsely by phase over a ladder of sizes (Kuglin and Hines 1975), then refined on the correlation of the
    outlines.
    """
    height, width = rendered.shape[:2]
    wanted, given = outlines(rendered), outlines(picture)
    best = Alignment(score=_correlation(wanted, given))
    shape = (2 * height, 2 * width)
    other = fft.rfft2(given, shape)
    for scale in _SCALES:
        # What is enlarged in the picture is found by enlarging the rendered one.
        stretched = _stretched(wanted, float(scale))
        crossed = fft.irfft2(other * np.conj(fft.rfft2(stretched, shape)), shape)
        down, right = np.unravel_index(int(np.argmax(crossed)), shape)
        shift = [int(v) if v < n else int(v) - 2 * n for v, n in ((right, width), (down, height))]
        tried = Alignment(float(scale), 0.0, float(shift[0]), float(shift[1]))
        if abs(shift[0]) < width / 2 and abs(shift[1]) < height / 2:
            best = max(best, _scored(tried, wanted, given), key=lambda one: one.score)
    return _refined(best, wanted, given)


def _stretched(outline: Doubles, scale: float) -> Doubles:
    height, width = outline.shape
    middle = np.array([(height - 1) / 2, (width - 1) / 2])
    return np.asarray(
        ndimage.affine_transform(
            outline, np.eye(2) / scale, middle - middle / scale, order=1, mode="constant"
        )
    )


def _scored(one: Alignment, wanted: Doubles, given: Doubles) -> Alignment:
    rows, columns = _places(one, *wanted.shape)
    seen = ndimage.map_coordinates(given, (rows, columns), order=1, mode="constant")
    inside = (rows >= 0) & (rows < given.shape[0]) & (columns >= 0) & (columns < given.shape[1])
    if inside.mean() < 0.3:
        return one
    score = _correlation(wanted[inside], seen[inside])
    return Alignment(one.scale, one.angle_rad, one.right, one.down, score)


def _refined(start: Alignment, wanted: Doubles, given: Doubles) -> Alignment:
    soft = [ndimage.gaussian_filter(one, 1.0) for one in (wanted, given)]

    def of(v: Doubles) -> Alignment:
        return Alignment(
            start.scale * float(np.exp(v[0])),
            float(v[1]),
            start.right + float(v[2]),
            start.down + float(v[3]),
        )

    steps = np.array([[0, 0, 0, 0], [0.01, 0, 0, 0], [0, 0.01, 0, 0], [0, 0, 1.0, 0], [0, 0, 0, 1.0]])
    found = optimize.minimize(  # type: ignore[call-overload]
        lambda v: -_scored(of(v), soft[0], soft[1]).score,
        np.zeros(4),
        method="Nelder-Mead",
        options={"initial_simplex": steps, "xatol": 1e-4, "fatol": 1e-6, "maxiter": 300},
    )
    made = _scored(of(np.asarray(found.x)), wanted, given)
    return made if made.score >= start.score else start
