"""The first board: tones, colours and images, lit by glow and by one sun."""

from __future__ import annotations

from functools import cache

import numpy as np
import numpy.typing as npt

from trasloco.gauge.build import Board, Builder, image_input, panel
from trasloco.gauge.ladders import see_through
from trasloco.gauge.steps import PATCH, corner, glow, glowing_steps, ramp_values, reference_steps, sunlight
from trasloco.scene.model import Input, Texture
from trasloco.scene.transforms import compose

Codes = npt.NDArray[np.uint8]
GREYS = (0.02, 0.04, 0.08, 0.15, 0.3, 0.5, 0.7, 0.9)
STORED = ((60, 110, 170), (200, 60, 40), (90, 160, 60), (128, 128, 128))
SHINING = ((1.6, 0.25, 0.1), (0.2, 1.3, 0.3), (0.15, 0.3, 1.8), (2.4, 1.2, 0.3))
TALL = (2048, 4096, 8192)
"""Longest sides of images that may be refused; each is a power of two."""
ODD = (300, 200)
ROD_M, ROD_Y = 1.0, -0.91
"""How long the rod is, and where it lies below the cells."""


@cache
def tones() -> Board:
    board = Builder("tones", "Tones, colours and images")
    reference_steps(board)
    glowing_steps(board, "ramp", ramp_values())
    _greys(board)
    _colors(board)
    _relief(board)
    see_through(board, {"cut": "mask", "blended": "blend", "solid": "opaque"})
    _sides(board)
    _paint(board)
    _placing(board)
    _sizes(board)
    _rod(board)
    sunlight(board)
    return board.done()


def _greys(board: Builder) -> None:
    for at in (0, 4):
        key = f"grey{at // 4 + 1}"
        x, y = board.cell(key)
        for k, value in enumerate(GREYS[at : at + 4]):
            right, up = corner(k)
            board.panel(key, board.material(key, base_color=(value,) * 3), x + right, y + up, PATCH)


def _colors(board: Builder) -> None:
    x, y = board.cell("shining")
    for k, nit in enumerate(SHINING):
        right, up = corner(k)
        over = max(nit)
        wears = board.material("shining", emission=tuple(v / over for v in nit), emission_strength=(over,))
        board.panel("shining", wears, x + right, y + up, PATCH)
    # The same light four ways: where strength is not read, they differ.
    x, y = board.cell("strength")
    for k, strength in enumerate((1.0, 2.0, 4.0, 8.0)):
        right, up = corner(k)
        wears = board.material("strength", emission=(0.5 / strength,) * 3, emission_strength=(strength,))
        board.panel("strength", wears, x + right, y + up, PATCH)
    x, y = board.cell("stored")
    texels = np.zeros((8, 8, 3), np.uint8)
    for k, codes in enumerate(STORED):
        down, right = 4 * (k // 2), 4 * (k % 2)
        texels[down : down + 4, right : right + 4] = codes
    kept = board.image("stored", np.kron(texels, np.ones((8, 8, 1), np.uint8)))
    board.panel("stored", board.material("stored", base_color=image_input(kept, encoding="srgb")), x, y)


def dome(side: int = 128, green_up: bool = True) -> Codes:
    """Codes (S, S, 3) of the normals of a round bump, by the glTF convention or with green turned over."""
    y, x = (np.mgrid[0:side, 0:side] + 0.5) / side * 2 - 1
    radius = np.hypot(x, y)
    slope = np.where(radius < 0.85, radius / 0.85 * 1.2, 0.0)
    away = slope / np.maximum(radius, 1e-6)
    normal = np.stack([x * away, -y * away, np.ones_like(x)], axis=-1)
    normal /= np.linalg.norm(normal, axis=-1, keepdims=True)
    if not green_up:
        normal[..., 1] *= -1
    return np.round((normal * 0.5 + 0.5) * 255).astype(np.uint8)


def _relief(board: Builder) -> None:
    """Both directions of green side by side: one of them is a bump in the sun."""
    for key, up in (("greenup", True), ("greendown", False)):
        x, y = board.cell(key)
        relief = image_input(board.image(key, dome(green_up=up)))
        board.panel(key, board.material(key, base_color=(0.5,) * 3, normal=relief), x, y)


def _sides(board: Builder) -> None:
    """Glowing sheets seen from behind, before another; one says that it has two sides."""
    for key, two in (("behind", False), ("bothsides", True)):
        x, y = board.cell(key)
        wears = board.material(key, double_sided=two, emission=(0.5, 0.1, 0.1), emission_strength=(1.0,))
        board.panel(key, wears, x, y, back=True, side=0.2)
        board.panel(key, glow(board, key, (0.15, 0.2, 0.5)), x, y, z=-0.03)


def letter(side: int = 64) -> Codes:
    """Codes (S, S, 3) of a sign that is unlike itself however it is turned or mirrored, on a ground that
    shades off.
    """
    y, x = (np.mgrid[0:side, 0:side] + 0.5) / side
    texels = np.stack([150 + 60 * x, 150 + 60 * y, 120 + 0 * x], axis=-1)
    stem = (x > 0.2) & (x < 0.35) & (y > 0.15) & (y < 0.85)
    arms = (x > 0.2) & (((y > 0.15) & (y < 0.28) & (x < 0.8)) | ((y > 0.45) & (y < 0.56) & (x < 0.6)))
    texels[stem | arms] = (40, 20, 80)
    texels[np.hypot(x - 0.72, y - 0.75) < 0.12] = (200, 40, 30)
    return np.round(texels).astype(np.uint8)


def _paint(board: Builder) -> None:
    """Colours on points over white and over an image, and a tint beside an image."""
    kept = board.image("letter", letter())
    for key, base in (("painted", Input((0.8,) * 3)), ("paintedover", image_input(kept, encoding="srgb"))):
        x, y = board.cell(key)
        colored = Input(base.factor, base.texture, True)
        board.panel(key, board.material(key, base_color=colored), x, y, colors=(0.6, 0.35, 0.2))
    x, y = board.cell("tint")
    tinted = Input((0.35, 0.6, 0.9), Texture(kept, "rgb", "srgb"))
    board.panel("tint", board.material("tint", base_color=tinted), x, y)


def _placing(board: Builder) -> None:
    """An image as it lies, placed anew, beyond its border, and by the second UV set."""
    kept = "image:letter"
    x, y = board.cell("lying")
    board.panel("lying", board.material("lying", base_color=image_input(kept, encoding="srgb")), x, y)
    x, y = board.cell("placed")
    placed = image_input(kept, encoding="srgb", offset=(0.25, 0.1), rotation_rad=0.5, scale=(0.8, 0.8))
    board.panel("placed", board.material("placed", base_color=placed), x, y)
    x, y = board.cell("secondset")
    second = np.array([[1, 1], [0, 1], [1, 0], [0, 0]], np.float32)
    other = image_input(kept, encoding="srgb", uv_set=1)
    board.panel("secondset", board.material("secondset", base_color=other), x, y, second=second)
    beyond = np.array([[-0.4, -0.4], [1.4, -0.4], [-0.4, 1.4], [1.4, 1.4]], np.float32)
    for key, wrap in (("repeated", "repeat"), ("held", "clamp")):
        x, y = board.cell(key)
        around = image_input(kept, encoding="srgb", wrap=(wrap, wrap))
        board.panel(key, board.material(key, base_color=around), x, y, uv=beyond)


def _rod(board: Builder) -> None:
    """A rod of a metre below the cells, in ten parts, to be measured in the program itself."""
    parts = np.where((np.arange(20) % 2)[None, :, None] > 0, 220, 60).astype(np.uint8)
    kept = board.image("rod", np.repeat(np.repeat(parts, 2, axis=0), 3, axis=2))
    wears = board.material("rod", base_color=image_input(kept, encoding="srgb"))
    board.put("rod", panel(1.0), wears, compose((0.0, ROD_Y, 0.0)) @ np.diag([ROD_M, 0.03, 1, 1]))


def _sizes(board: Builder) -> None:
    """Images of sizes that may be refused: stripes where they are taken."""
    for width, height in ((*ODD,), *((side, 32) for side in TALL)):
        key = f"size{width}"
        x, y = board.cell(key)
        stripes = (np.arange(width) * 6 // width) % 2
        texels = np.where(stripes[None, :, None] > 0, [210, 190, 60], [40, 60, 120])
        kept = board.image(key, np.repeat(texels, height, axis=0).astype(np.uint8))
        board.panel(key, board.material(key, base_color=image_input(kept, encoding="srgb")), x, y)
