"""The fourth board: balls that mirror the surroundings, and a hollow that its occlusion darkens."""

from __future__ import annotations

from functools import cache

import numpy as np

from trasloco.gauge.build import Board, Builder, ball, image_input
from trasloco.gauge.steps import reference_steps
from trasloco.light.surroundings import directions
from trasloco.scene.lit import Environment
from trasloco.scene.model import Doubles, Floats
from trasloco.scene.transforms import compose

MIRROR, RADIUS = 0.85, 0.14
SIGNS: tuple[tuple[tuple[float, float, float], tuple[float, float, float], float], ...] = (
    ((0, 0, 1), (2.4, 0.4, 0.3), 0.35),
    ((1, 0, 0.4), (0.3, 2.0, 0.5), 0.3),
    ((-1, 0.1, 0.5), (0.3, 0.5, 2.6), 0.3),
    ((0.2, 1, 0.35), (2.0, 1.8, 0.4), 0.35),
    ((-0.3, -1, 0.4), (1.6, 0.5, 1.8), 0.3),
    ((0.7, 0.5, -0.6), (0.4, 1.6, 1.8), 0.3),
    ((-0.7, -0.4, -0.7), (1.8, 1.0, 0.3), 0.25),
    ((-0.2, 0.5, -0.9), (1.4, 1.4, 1.4), 0.25),
)
"""Discs in the surroundings: where they stand, their radiance in nit, and half their angle in radians."""
GROUND, SHADE = 0.12, 70
"""Radiance between the discs in nit, and the code of the darker half of the occlusion image."""


@cache
def around() -> Board:
    board = Builder(
        "around",
        "Surroundings",
        by_hand="No lamps. Set the picture of the surroundings that lies in the package, unturned, at strength 1.",
    )
    reference_steps(board)
    sky = board.image("surroundings", surroundings(256), "exr")
    board.environment = Environment(sky, 1.0)
    for key in ("mirror", "mirror2"):
        x, y = board.cell(key)
        wears = board.material(
            key, base_color=(MIRROR,) * 3, metalness=(1.0,), roughness=(0.0,), specular=None
        )
        board.put(key, ball(RADIUS, 96), wears, compose((x, y, 0.0)))
    x, y = board.cell("white")
    board.put("white", ball(RADIUS), board.material("white", base_color=(0.8,) * 3), compose((x, y, 0.0)))
    x, y = board.cell("occlusion")
    shade = np.full((64, 64, 3), 255, np.uint8)
    shade[:, 32:, 0] = SHADE
    kept = board.image("occlusion", shade)
    wears = board.material("occlusion", base_color=(0.8,) * 3, occlusion=image_input(kept, "r"))
    board.panel("occlusion", wears, x, y)
    return board.done()


def radiance_from(looks: Doubles) -> Floats:
    """Radiance in nit (..., 3) that comes from unit directions (..., 3)."""
    made = np.full(looks.shape, GROUND)
    made += 0.1 * np.clip(looks[..., 1:2], 0, 1) * np.array([0.6, 0.9, 1.6])
    for where, nit, half in SIGNS:
        cosine = looks @ (np.array(where) / np.linalg.norm(where))
        edge = np.clip((cosine - np.cos(half)) / (np.cos(half - 0.03) - np.cos(half)), 0, 1)[..., None]
        made = made * (1 - edge) + np.array(nit) * edge
    return np.asarray(made, np.float32)


def surroundings(height: int) -> Floats:
    """The picture (H, 2 H, 3) of :func:`radiance_from`."""
    return radiance_from(directions(height, 2 * height))
