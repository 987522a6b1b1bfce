"""Procedural images of the Teatrino's materials: every one repeats seamlessly and comes from a fixed seed.

Each function returns a :class:`Surface`: colour as sRGB in [0, 1], height in [0, 1], roughness, occlusion and
metalness.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from PIL import Image as Pil
from PIL import ImageDraw, ImageFilter, ImageFont
from scipy.ndimage import gaussian_filter
from scipy.spatial import cKDTree

Field = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Surface:
    """Images of one material, (H, W) or (H, W, 3), all in [0, 1]; ``depth`` is the relief depth as a fraction
    of one repeat.
    """

    color: Field
    roughness: Field | None = None
    height: Field | None = None
    occlusion: Field | None = None
    metalness: Field | None = None
    opacity: Field | None = None
    depth: float = 0.0


def noise(rng: np.random.Generator, size: int, slope: float, stretch: tuple[float, float] = (1, 1)) -> Field:
    """Seamless noise in [0, 1] with an f^-slope spectrum; ``stretch`` lengthens it along (rows, columns)."""
    spectrum = np.fft.rfft2(rng.standard_normal((size, size)))
    fy, fx = np.fft.fftfreq(size)[:, None] * stretch[0], np.fft.rfftfreq(size)[None] * stretch[1]
    frequency = np.sqrt(fx**2 + fy**2)
    frequency[0, 0] = 1
    field = np.fft.irfft2(spectrum * frequency**-slope * (frequency > 1.5 / size), s=(size, size))
    low, high = np.percentile(field, [0.5, 99.5])
    return np.asarray(np.clip((field - low) / (high - low), 0, 1))


def blend(first: tuple[float, float, float], second: tuple[float, float, float], share: Field) -> Field:
    return np.asarray(first) * (1 - share[..., None]) + np.asarray(second) * share[..., None]


def _grid(size: int) -> tuple[Field, Field]:
    axis = (np.arange(size) + 0.5) / size
    return np.meshgrid(axis, axis)  # type: ignore[return-value]


def _cells(rng: np.random.Generator, size: int, count: int, jitter: float = 0.8) -> tuple[Field, Field]:
    """Distances to the nearest and second nearest of jittered seamless grid points, in units of the grid
    step.
    """
    step = 1 / count
    gx, gy = np.meshgrid(np.arange(count), np.arange(count))
    points = ((np.stack([gx, gy], -1) + 0.5 + (rng.random((count, count, 2)) - 0.5) * jitter) * step).reshape(
        -1, 2
    ) % 1
    x, y = _grid(size)
    distances, _ = cKDTree(points, boxsize=1).query(np.stack([x, y], -1).reshape(-1, 2), k=2, workers=2)
    return distances[:, 0].reshape(size, size) / step, distances[:, 1].reshape(size, size) / step


def velvet(rng: np.random.Generator, size: int = 1024) -> Surface:
    x, y = _grid(size)
    pile = noise(rng, size, 0.9, (0.25, 1.0))
    weave = (
        0.5
        + 0.25 * np.sin(2 * np.pi * x * 96)
        + 0.25 * np.sin(2 * np.pi * y * 96 + np.pi * (np.floor(x * 96) % 2))
    )
    crush = noise(rng, size, 1.7)
    color = blend((0.36, 0.03, 0.07), (0.63, 0.10, 0.15), 0.25 + 0.45 * pile + 0.3 * crush) * (
        0.86 + 0.14 * weave[..., None]
    )
    return Surface(
        np.clip(color, 0, 1),
        np.clip(0.70 + 0.2 * pile - 0.15 * crush, 0, 1),
        0.7 * weave + 0.3 * pile,
        np.clip(0.72 + 0.28 * weave, 0, 1),
        depth=0.004,
    )


def satin(rng: np.random.Generator, size: int = 1024) -> Surface:
    x, y = _grid(size)
    thread = noise(rng, size, 0.6, (0.1, 1.0))
    stripe = (np.sin(2 * np.pi * x * 12) > 0.55).astype(float)
    color = blend((0.74, 0.56, 0.27), (0.85, 0.70, 0.42), 0.3 + 0.5 * thread) * (
        1 - 0.2 * gaussian_filter(stripe, 2, mode="wrap")[..., None]
    )
    weave = 0.5 + 0.5 * np.sin(2 * np.pi * (x + y) * 128)
    return Surface(
        np.clip(color, 0, 1), np.clip(0.45 + 0.2 * thread, 0, 1), 0.5 * thread + 0.5 * weave, depth=0.002
    )


def boards(rng: np.random.Generator, size: int = 2048) -> Surface:
    _, y = _grid(size)
    warp = noise(rng, size, 1.9, (1.0, 0.15))
    fine = noise(rng, size, 0.7, (1.0, 0.03))
    rings = 0.5 + 0.5 * np.sin(2 * np.pi * (y * 14 + 5.0 * warp))
    pores = (noise(rng, size, 0.35, (1.0, 0.02)) > 0.82).astype(float)
    wear = noise(rng, size, 1.6)
    color = blend((0.33, 0.17, 0.08), (0.58, 0.34, 0.17), 0.15 + 0.55 * rings**1.5 + 0.3 * fine)
    color = color * (1 - 0.35 * gaussian_filter(pores, 0.7, mode="wrap")[..., None])
    scuffs = np.clip((noise(rng, size, 1.0, (0.3, 1.0)) - 0.75) * 3, 0, 1)
    return Surface(
        np.clip(color, 0, 1),
        np.clip(0.22 + 0.25 * wear + 0.3 * scuffs, 0, 1),
        np.clip(0.5 + 0.25 * rings + 0.15 * fine - 0.5 * pores, 0, 1),
        np.clip(1 - 0.25 * pores, 0, 1),
        depth=0.0025,
    )


def brass(rng: np.random.Generator, size: int = 1024) -> Surface:
    near, _ = _cells(rng, size, 18)
    dimple = np.clip(near / 0.75, 0, 1) ** 2
    patina = np.clip((noise(rng, size, 1.7) - 0.45) * 2.2, 0, 1) * np.clip(1.2 - dimple, 0, 1)
    color = blend((0.93, 0.78, 0.46), (0.46, 0.33, 0.17), 0.75 * patina)
    return Surface(
        color,
        np.clip(0.20 + 0.4 * patina + 0.08 * noise(rng, size, 0.8), 0, 1),
        dimple,
        np.clip(1 - 0.35 * patina, 0, 1),
        np.clip(1 - 0.55 * patina, 0, 1),
        depth=0.010,
    )


def leather(rng: np.random.Generator, size: int = 1024) -> Surface:
    first, second = _cells(rng, size, 44)
    grain = np.clip((second - first) * 2.4, 0, 1)
    wear = noise(rng, size, 1.8)
    color = blend((0.23, 0.12, 0.07), (0.47, 0.27, 0.15), 0.15 + 0.55 * wear + 0.3 * grain * wear)
    return Surface(
        np.clip(color * (0.75 + 0.25 * grain[..., None]), 0, 1),
        np.clip(0.62 - 0.3 * wear * grain, 0, 1),
        grain,
        np.clip(0.55 + 0.45 * grain, 0, 1),
        depth=0.006,
    )


def plaster(rng: np.random.Generator, size: int = 1024) -> Surface:
    x, y = _grid(size)
    cracks, second = _cells(rng, size, 9)
    crack = np.exp(-(((second - cracks) / 0.018) ** 2)) * (noise(rng, size, 1.5) > 0.6)
    age = noise(rng, size, 1.7)
    band = (np.abs(((y * 4) % 1) - 0.5) < 0.035).astype(float)
    diamond = ((np.abs(((x * 8) % 1) - 0.5) + np.abs(((y * 4) % 1) - 0.5)) < 0.17).astype(float)
    ornament = gaussian_filter(np.maximum(band, diamond), 1.0, mode="wrap")
    color = blend((0.87, 0.82, 0.70), (0.74, 0.66, 0.51), 0.7 * age)
    color = (
        color * (1 - 0.85 * ornament[..., None]) + np.asarray((0.16, 0.30, 0.34)) * 0.85 * ornament[..., None]
    )
    return Surface(
        np.clip(color * (1 - 0.5 * crack[..., None]), 0, 1),
        np.clip(0.62 + 0.25 * age - 0.1 * ornament, 0, 1),
        np.clip(0.6 + 0.2 * age - 0.5 * crack + 0.2 * ornament, 0, 1),
        np.clip(1 - 0.5 * crack, 0, 1),
        depth=0.006,
    )


def iron(rng: np.random.Generator, size: int = 512) -> Surface:
    rough = noise(rng, size, 1.2)
    return Surface(
        np.full((size, size, 3), 0.92) * (0.85 + 0.15 * rough[..., None]),
        np.clip(0.35 + 0.3 * rough, 0, 1),
        rough,
        depth=0.004,
    )


def _canvas_grain(rng: np.random.Generator, picture: Field) -> Field:
    size = picture.shape[0]
    x, y = _grid(size)
    weave = 0.5 + 0.25 * np.sin(2 * np.pi * x * 160) + 0.25 * np.sin(2 * np.pi * y * 160)
    brush = noise(rng, size, 1.1, (1.0, 0.2))
    return np.asarray(np.clip(picture * (0.9 + 0.06 * weave + 0.1 * (brush - 0.5))[..., None], 0, 1))


def backdrop(rng: np.random.Generator, size: int = 1024) -> Surface:
    """A painted night: moon, stars, three rows of hills, a village."""
    x, y = _grid(size)
    sky = blend((0.05, 0.09, 0.22), (0.62, 0.46, 0.44), np.clip(y * 1.35, 0, 1) ** 2.2)
    glow = np.exp(-(((x - 0.69) ** 2 + (y - 0.25) ** 2) / 0.018))
    sky = sky + glow[..., None] * np.asarray((0.30, 0.27, 0.20))
    canvas = Pil.fromarray(np.uint8(np.clip(sky, 0, 1) * 255))
    draw = ImageDraw.Draw(canvas)
    for _ in range(150):
        px, py, r = rng.random() * size, rng.random() ** 1.5 * size * 0.55, rng.random() * 1.6 + 0.6
        draw.ellipse([px - r, py - r, px + r, py + r], fill=(238, 226, 190))
    draw.ellipse([0.63 * size, 0.19 * size, 0.75 * size, 0.31 * size], fill=(246, 235, 200))
    draw.ellipse([0.61 * size, 0.175 * size, 0.715 * size, 0.28 * size], fill=(46, 52, 88))
    for row, (base, shade) in enumerate(((0.66, (48, 52, 84)), (0.75, (38, 52, 62)), (0.86, (24, 38, 40)))):
        line = [
            base
            + 0.05 * np.sin(k / 40 * np.pi * (2 + row) + row * 2)
            + 0.02 * np.sin(k / 40 * np.pi * 7 + row)
            for k in range(41)
        ]
        draw.polygon(
            [(0, size), *((k / 40 * size, v * size) for k, v in enumerate(line)), (size, size)], fill=shade
        )
    for k in range(7):
        left, top = (0.16 + 0.058 * k) * size, (0.735 + 0.015 * np.sin(k * 2.1)) * size
        wide, tall = 0.042 * size, (0.055 + 0.02 * (k % 3)) * size
        draw.rectangle([left, top - tall, left + wide, top + 0.03 * size], fill=(66, 50, 58))
        draw.polygon(
            [
                (left - 4, top - tall),
                (left + wide / 2, top - tall - 0.03 * size),
                (left + wide + 4, top - tall),
            ],
            fill=(96, 48, 46),
        )
        draw.rectangle(
            [left + wide * 0.4, top - tall * 0.6, left + wide * 0.6, top - tall * 0.38], fill=(250, 205, 110)
        )
    painted = np.asarray(canvas.filter(ImageFilter.GaussianBlur(1.2)), np.float64) / 255
    return Surface(_canvas_grain(rng, painted), np.full((size, size), 0.86))


def wing(rng: np.random.Generator, size: int = 1024) -> Surface:
    """A painted wing flat: cypresses and a house front."""
    _, y = _grid(size)
    ground = blend((0.30, 0.36, 0.45), (0.66, 0.52, 0.42), np.clip(y, 0, 1) ** 1.4)
    canvas = Pil.fromarray(np.uint8(np.clip(ground, 0, 1) * 255))
    draw = ImageDraw.Draw(canvas)
    draw.rectangle([0, 0.42 * size, 0.62 * size, size], fill=(168, 126, 92))
    draw.polygon(
        [(-10, 0.42 * size), (0.3 * size, 0.27 * size), (0.68 * size, 0.42 * size)], fill=(132, 60, 48)
    )
    for row in range(3):
        for column in range(2):
            left, top = (0.1 + 0.26 * column) * size, (0.49 + 0.16 * row) * size
            draw.rectangle(
                [left, top, left + 0.13 * size, top + 0.11 * size],
                fill=(62, 78, 74),
                outline=(226, 204, 160),
                width=6,
            )
    for center, tall in ((0.74, 0.62), (0.9, 0.48)):
        points = [
            (
                (center + 0.075 * np.sin(t * np.pi) ** 0.8 * s * (1 - 0.25 * t)) * size,
                (0.98 - tall * t) * size,
            )
            for s, ts in ((-1, np.linspace(0, 1, 24)), (1, np.linspace(1, 0, 24)))
            for t in ts
        ]
        draw.polygon(points, fill=(36, 62, 48))
    painted = np.asarray(canvas.filter(ImageFilter.GaussianBlur(1.5)), np.float64) / 255
    return Surface(_canvas_grain(rng, painted), np.full((size, size), 0.88))


def laurel(rng: np.random.Generator, size: int = 1024) -> Surface:
    """Paper leaves on a stem, to be cut out by their opacity."""
    scale = 2
    mask = Pil.new("L", (size * scale, size * scale), 0)
    paint = Pil.new("RGB", (size * scale, size * scale), (70, 96, 46))
    draw, brush = ImageDraw.Draw(mask), ImageDraw.Draw(paint)
    full = size * scale
    stem = [(t * full, (0.5 + 0.05 * np.sin(t * 2 * np.pi)) * full) for t in np.linspace(0, 1, 60)]
    draw.line(stem, fill=255, width=int(0.014 * full))
    for k in range(18):
        t = (k + 0.3) / 18
        x0, y0 = t * full, (0.5 + 0.05 * np.sin(t * 2 * np.pi)) * full
        side = 1 if k % 2 else -1
        angle = side * (0.75 + 0.3 * rng.random())
        length, wide = (0.24 + 0.07 * rng.random()) * full, (0.036 + 0.01 * rng.random()) * full
        ax, ay = np.cos(angle), np.sin(angle)
        ridge = [(s * length, wide * np.sin(np.pi * s**0.8)) for s in np.linspace(0, 1, 16)]
        outline = [(x0 + ax * u - ay * w, y0 + ay * u + ax * w) for u, w in ridge] + [
            (x0 + ax * u + ay * w, y0 + ay * u - ax * w) for u, w in reversed(ridge)
        ]
        shade = int(rng.integers(-18, 22))
        draw.polygon(outline, fill=255)
        brush.polygon(outline, fill=(86 + shade, 118 + shade, 52 + shade // 2))
        brush.line(
            [(x0, y0), (x0 + ax * length, y0 + ay * length)], fill=(150, 160, 92), width=int(0.004 * full)
        )
    opacity = np.asarray(mask.resize((size, size), Pil.Resampling.LANCZOS), np.float64) / 255
    color = np.asarray(paint.resize((size, size), Pil.Resampling.LANCZOS), np.float64) / 255
    fibre = noise(rng, size, 0.8)
    return Surface(
        np.clip(color * (0.85 + 0.3 * fibre[..., None]), 0, 1),
        np.full((size, size), 0.75),
        fibre,
        opacity=opacity,
        depth=0.002,
    )


def costume(rng: np.random.Generator, width: int = 700, height: int = 1000) -> Surface:
    """Printed cloth for the puppets, drawn at the odd size it was scanned in."""
    axis_x, axis_y = (np.arange(width) + 0.5) / width, (np.arange(height) + 0.5) / height
    x, y = np.meshgrid(axis_x, axis_y)
    diamond = np.abs(((x * 6) % 1) - 0.5) + np.abs(((y * 6) % 1) - 0.5)
    inside = np.clip((0.5 - diamond) * 30, 0, 1)
    dot = np.clip((0.1 - np.hypot(((x * 6) % 1) - 0.5, ((y * 6) % 1) - 0.5)) * 40, 0, 1)
    cloth = noise(rng, 1000, 0.7)[:height, :width]
    color = (
        blend((0.96, 0.93, 0.85), (0.78, 0.74, 0.66), inside)
        * (1 - 0.45 * dot[..., None])
        * (0.9 + 0.1 * cloth[..., None])
    )
    return Surface(np.clip(color, 0, 1), np.clip(0.55 + 0.2 * cloth, 0, 1))


def label(rng: np.random.Generator, size: int = 512) -> Surface:
    """The paper label on the trunk."""
    canvas = Pil.new("RGB", (size, size), (228, 214, 180))
    draw = ImageDraw.Draw(canvas)
    for inset, width in ((14, 5), (26, 2)):
        draw.rectangle([inset, inset, size - inset, size - inset], outline=(122, 36, 48), width=width)
    for text, y, points, shade in (
        ("TEATRINO", 92, 76, (122, 36, 48)),
        ("marionette", 186, 54, (40, 40, 36)),
        ("TRUNK 3 of 7", 300, 44, (40, 40, 36)),
        ("this side up", 372, 44, (40, 40, 36)),
    ):
        draw.text((size / 2, y), text, fill=shade, font=ImageFont.load_default(points), anchor="mm")
    draw.line([(size / 2, 480), (size / 2, 416)], fill=(122, 36, 48), width=8)
    draw.polygon([(size / 2 - 20, 432), (size / 2, 404), (size / 2 + 20, 432)], fill=(122, 36, 48))
    stain = noise(rng, size, 1.8)
    return Surface(
        np.asarray(canvas, np.float64) / 255 * (0.82 + 0.18 * stain[..., None]),
        np.clip(0.65 + 0.2 * stain, 0, 1),
    )


def evening(width: int = 1024) -> npt.NDArray[np.float32]:
    """A dim room at dusk as a latitude-longitude picture: a tall window to the left, lamplight low on the
    right. Relative radiance.
    """
    height = width // 2
    theta = (np.arange(height) + 0.5) / height * np.pi
    phi = ((np.arange(width) + 0.5) / width - 0.5) * 2 * np.pi
    p, t = np.meshgrid(phi, theta)
    up = np.cos(t)[..., None]
    room = np.where(
        up > 0,
        np.array([0.060, 0.062, 0.075]) * (1 + 0.6 * up),
        np.array([0.050, 0.038, 0.028]) * (1 + 0.3 * up),
    )

    def soft(center: tuple[float, float], half: tuple[float, float], edge: float) -> npt.NDArray[np.float64]:
        dx = np.abs((p - center[0] + np.pi) % (2 * np.pi) - np.pi) - half[0]
        dy = np.abs(t - center[1]) - half[1]
        return 1 / (1 + np.exp(np.maximum(dx, dy) / edge))

    window = soft((-2.35, 1.12), (0.33, 0.42), 0.02)
    bars = np.where(
        (np.abs(((p + 2.35) / 0.33 * 1.5) % 1 - 0.5) > 0.44)
        | (np.abs(((t - 1.12) / 0.42 * 2) % 1 - 0.5) > 0.45),
        0.12,
        1.0,
    )
    lamp = soft((2.2, 1.25), (0.22, 0.16), 0.05)
    ceiling = np.clip(np.cos(t), 0, 1) ** 6
    picture = (
        room
        + (window * bars)[..., None] * np.array([1.5, 1.9, 2.6])
        + lamp[..., None] * np.array([4.2, 2.4, 1.0])
        + ceiling[..., None] * np.array([0.10, 0.09, 0.08])
    )
    return picture.astype(np.float32)
