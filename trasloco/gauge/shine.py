"""The second board: balls and sheets in one sun, whose highlights tell what the inputs mean."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np

from trasloco.gauge.build import Board, Builder, ball, image_input
from trasloco.gauge.kinds import DEEP, KINDS, kind_cell
from trasloco.gauge.ladders import ELSEWHERE, see_through
from trasloco.gauge.steps import PATCH, corner, reference_steps, sunlight
from trasloco.gauge.tones import GREYS
from trasloco.scene.transforms import compose

RADIUS = 0.135
ROUGHNESS = (0.25, 0.4, 0.55, 0.7)
SPECULAR = (0.0, 0.5)
METAL = (0.35, 0.33, 0.3)


@cache
def shine() -> Board:
    board = Builder("shine", "Shine and glass")
    reference_steps(board)
    x, y = board.cell("grey")
    for k, value in enumerate(GREYS[::2]):
        right, up = corner(k)
        board.panel("grey", board.material("grey", base_color=(value,) * 3), x + right, y + up, PATCH)
    for value in ROUGHNESS:
        _ball(board, f"rough{round(100 * value)}", base_color=METAL, metalness=(1.0,), roughness=(value,))
    _images(board)
    for value in SPECULAR:
        _ball(board, f"specular{round(100 * value)}", roughness=(0.4,), specular=(value,))
    for index in (1.2, 2.0):
        _ball(board, f"index{round(100 * index)}", roughness=(0.4,), specular=(1.0,), ior=(index,))
    _ball(board, "speculartint", roughness=(0.4,), specular=(1.0,), specular_color=(0.9, 0.35, 0.1))
    _ball(board, "coat", roughness=(0.8,), clearcoat=(1.0,), clearcoat_roughness=(0.3,))
    _ball(board, "coatrough", roughness=(0.8,), clearcoat=(1.0,), clearcoat_roughness=(0.6,))
    _ball(board, "sheen", base_color=(0.03,) * 3, sheen_color=(0.8, 0.7, 0.5), sheen_roughness=(0.4,))
    _ball(board, "stretched", base_color=METAL, metalness=(1.0,), roughness=(0.5,), anisotropy=(0.8,))
    _glass(board)
    _ball(
        board,
        "skin",
        base_color=(0.03,) * 3,
        subsurface=(1.0,),
        subsurface_color=(0.9, 0.45, 0.25),
        subsurface_radius=(0.01,),
    )
    _ball(
        board,
        "film",
        base_color=METAL,
        metalness=(1.0,),
        roughness=(0.4,),
        iridescence=(1.0,),
        iridescence_thickness=(420.0,),
    )
    _kinds(board)
    see_through(board, ELSEWHERE)
    sunlight(board)
    return board.done()


def _ball(board: Builder, key: str, **inputs: Any) -> None:
    x, y = board.cell(key)
    board.put(key, ball(RADIUS), board.material(key, **inputs), compose((x, y, 0.0)))


def _images(board: Builder) -> None:
    """Roughness and metalness from one packed image, whose channels are unlike each other."""
    texels = np.zeros((64, 64, 3), np.uint8)
    texels[..., 0] = 255
    texels[..., 1] = np.where(np.arange(64)[None] < 32, 90, 178)
    texels[..., 2] = 255
    kept = board.image("packed", texels)
    _ball(board, "roughimage", base_color=METAL, metalness=(1.0,), roughness=image_input(kept, "g"))
    texels = texels.copy()
    texels[..., 1] = np.where(np.arange(64)[:, None] < 32, 255, 100)
    texels[..., 2] = np.where(np.arange(64)[:, None] < 32, 0, 230)
    kept = board.image("channels", texels)
    packed: dict[str, Any] = {"roughness": image_input(kept, "g"), "metalness": image_input(kept, "b")}
    _ball(board, "channels", base_color=(0.4, 0.3, 0.15), **packed)


def _kinds(board: Builder) -> None:
    """Stripes in images of kinds and depths that may be refused."""
    stripes = (np.arange(64) * 6 // 64) % 2
    texels = np.where(stripes[None, :, None] > 0, [210, 190, 60], [40, 60, 120])
    for key in (DEEP, *map(kind_cell, KINDS)):
        x, y = board.cell(key)
        deep = key == DEEP
        codes = texels.astype(np.uint16) * 257 if deep else texels.astype(np.uint8)
        kept = board.image(key, np.repeat(codes, 64, axis=0))
        board.panel(key, board.material(key, base_color=image_input(kept, encoding="srgb")), x, y)


def _glass(board: Builder) -> None:
    """A pane before bright stripes, and one that a glow shines through from behind."""
    x, y = board.cell("glass")
    glass = board.material(
        "glass",
        base_color=(0.4, 0.8, 0.5),
        roughness=(0.0,),
        specular=(0.0,),
        transmission=(1.0,),
    )
    board.panel("glass", glass, x, y)
    stripes = np.where((np.arange(64) * 5 // 64)[None, :, None] % 2 > 0, 230, 30).astype(np.uint8)
    kept = board.image("stripes", np.repeat(np.repeat(stripes, 64, axis=0), 3, axis=2))
    lit = board.material("glass", emission=image_input(kept, encoding="srgb"), emission_strength=(1.0,))
    board.panel("glass", lit, x, y, z=-0.05)
