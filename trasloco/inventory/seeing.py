"""What an image is, told from its texels: a normal map and which way its green points, a picture of height,
grey data, metal in halves.

Green is told by the curl of the field: a surface z(x, y) has slopes p = -nx/nz and q = -ny/nz with dp/dy =
dq/dx, so the right sign of ny
leaves no curl and the wrong one does (a conservative field is curl-free; Frankot and Chellappa 1988 use the
same integrability).
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.keeping import kept
from trasloco.scene.images import Image, pixels, unit_floats

_BLOCK, _MOST_BLOCKS, _CLEAR = 64, 36, 4.0


@dataclass(frozen=True)
class Green:
    """Which way green points: ``up`` (the glTF way), ``down``, or ``unsure``; ``confidence`` 0 to 1; ``curl``
    of each reading, mean squares.
    """

    way: str
    confidence: float
    curl_up: float
    curl_down: float


def looks_like_normals(texels: npt.NDArray[Any]) -> bool:
    """Whether (H, W, >=3) values in [0, 1] are directions of unit length that mostly face out."""
    sample = texels[:: max(texels.shape[0] // 128, 1), :: max(texels.shape[1] // 128, 1), :3]
    vectors = sample * 2 - 1
    length = np.linalg.norm(vectors, axis=-1)
    return bool(
        (np.abs(length - 1) < 0.12).mean() > 0.9
        and (vectors[..., 2] > 0).mean() > 0.98
        and vectors[..., 2].mean() > 0.5
    )


def is_grey(texels: npt.NDArray[Any]) -> bool:
    """Whether all three channels are alike."""
    if texels.shape[2] < 3:
        return True
    sample = texels[:: max(texels.shape[0] // 128, 1), :: max(texels.shape[1] // 128, 1), :3]
    return bool(np.ptp(sample, axis=-1).max() < 0.02)


def green_way(texels: npt.NDArray[Any]) -> Green:
    """Measure the curl both ways over blocks of a normal map's (H, W, 3) values in [0, 1].

    The differences of the two curls over blocks are compared with their own spread: below four standard
    errors the evidence is thin, and
    the answer is ``unsure``.
    """
    height, width = texels.shape[:2]
    block = min(_BLOCK, height, width)
    if block < 8:
        return Green("unsure", 0.0, 0.0, 0.0)
    rows, columns = (
        np.linspace(0, height - block, min(6, max(height // block, 1))).astype(int),
        np.linspace(0, width - block, min(6, max(width // block, 1))).astype(int),
    )
    up, down = [], []
    for y in rows:
        for x in columns:
            vectors = texels[y : y + block, x : x + block, :3].astype(np.float64) * 2 - 1
            depth = np.maximum(vectors[..., 2], 0.1)
            p, q = -vectors[..., 0] / depth, -vectors[..., 1] / depth
            dp = -(p[2:, 1:-1] - p[:-2, 1:-1])
            dq = q[1:-1, 2:] - q[1:-1, :-2]
            up.append(float(((dp - dq) ** 2).mean()))
            down.append(float(((dp + dq) ** 2).mean()))
    first, second = np.array(up), np.array(down)
    curl_up, curl_down = float(first.mean()), float(second.mean())
    total = curl_up + curl_down
    # Eight-bit steps alone make a curl of about this size; less tells nothing.
    if total < 4e-5:
        return Green("unsure", 0.0, curl_up, curl_down)
    difference = (second - first) / np.maximum(first + second, 1e-12)
    spread = float(difference.std(ddof=1) / np.sqrt(len(difference))) if len(difference) > 1 else 0.25
    evidence = abs(float(difference.mean())) / max(spread, 1e-3)
    confidence = min(abs(curl_down - curl_up) / total * min(evidence / _CLEAR, 1.0), 1.0)
    if evidence < _CLEAR or confidence < 0.05:
        return Green("unsure", confidence, curl_up, curl_down)
    return Green("up" if curl_up < curl_down else "down", confidence, curl_up, curl_down)


@dataclass(frozen=True)
class Sight:
    """Measures of an image, from at most 1024 texels a side.

    Attributes:
        normals, grey: see :func:`looks_like_normals`, :func:`is_grey`. mean: (C,) of values in [0, 1]. low,
            high: 1st and 99th percentile of each channel.
        alpha: ``none``, ``empty`` (all the same), ``cut`` (two values), ``soft``. steps: distinct values of
            the first channel.
        green: which way green points, for images that look like normals.
    """

    normals: bool
    grey: bool
    mean: npt.NDArray[Any]
    low: npt.NDArray[Any]
    high: npt.NDArray[Any]
    alpha: str
    steps: int
    green: Green | None = None


def sight_of(image: Image) -> Sight:
    """Look at an image, once for its content.

    Raises:
        Refused: it cannot be decoded.
    """
    return kept("sight", image.digest, lambda: _look(image))


def _look(image: Image) -> Sight:
    whole = pixels(image, keep=False)
    step = max(max(whole.shape[:2]) // 512, 1)
    small = unit_floats(np.ascontiguousarray(whole[::step, ::step]))
    small = np.clip(np.nan_to_num(small, posinf=1, neginf=0), 0, 1)
    flat = small.reshape(-1, small.shape[2])
    normals = small.shape[2] >= 3 and not image.floating and looks_like_normals(small)
    alpha = "none"
    if small.shape[2] in (2, 4):
        values = flat[:, -1]
        alpha = (
            "empty"
            if np.ptp(values) < 1 / 255
            else "cut"
            if ((values < 0.02) | (values > 0.98)).mean() > 0.97
            else "soft"
        )
    low, high = np.percentile(flat, 1, axis=0), np.percentile(flat, 99, axis=0)
    green = green_way(unit_floats(whole[: 6 * _BLOCK * 4, : 6 * _BLOCK * 4])) if normals else None
    return Sight(
        normals,
        is_grey(small),
        flat.mean(axis=0, dtype=np.float64),
        low,
        high,
        alpha,
        len(np.unique(np.round(flat[:, 0] * 65535))),
        green,
    )
