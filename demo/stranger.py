"""A program that no sheet describes, drawn at random from a seed: it reads the boards of a gauge in ways of
its own, shows them by a curve of its own, and its pictures are a little turned, cut, bent and noisy, in eight
bits.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path

import numpy as np
from PIL import Image as Pillow
from scipy import ndimage
from scipy.spatial.transform import Rotation

from trasloco.gauge.around import MIRROR, radiance_from
from trasloco.gauge.boards import boards
from trasloco.gauge.expected import Expected, cropped, drawn, lit_as_asked, places_in, window
from trasloco.gauge.line import Line
from trasloco.gauge.lines import LINES, of_board, within
from trasloco.gauge.numbers import mirrored_in
from trasloco.gauge.packing import GaugePackage, packed
from trasloco.outside.bends import BY_KEY, Bending, roughness_raised
from trasloco.outside.showing import CURVES, Floats, Shown, displayed_by
from trasloco.scene.color import linear_to_srgb
from trasloco.scene.model import Material, Scene
from trasloco.sheets.library import sheet_named

WIDTH = 1280
POWERS = (0.6, 0.85, 1.0, 1.2, 1.7)
"""To which powers a stranger may take roughness: none of them is what the gauge is read by, but one."""
STRANGER_FILES = {board: f"stranger-{board}.png" for board in ("tones", "shine", "lamps", "around")}
"""Pictures of the gauge that a stranger of the demo brings back, by board."""
_SEED, _WIDE, _FEW = 28, 800, {"tones": 3, "shine": 3, "lamps": 4, "around": 12}
KINDS = ("sun", "point", "spot", "rectangle", "disc")
_ODD_COLORS = ((0.5, 0.5, 0.5), (0.0, 0.0, 0.0), (0.9, 0.0, 0.9), (0.9, 0.9, 0.9))


@dataclass(frozen=True)
class Stranger:
    """What it does. ``readings`` are places among a line's readings; ``exposures`` stops by board."""

    seed: int
    readings: Mapping[str, int]
    power: float
    factors: Mapping[str, float]
    turn_rad: float
    mirrored: bool
    curve: str
    contrast: float
    exposures: Mapping[str, float]
    bend: float
    enlarged: float
    turned_rad: float
    shift: tuple[float, float]
    noise: float
    missing: tuple[float, float, float] = field(default=(0.5, 0.5, 0.5))


def stranger(seed: int) -> Stranger:
    """Draw one."""
    rng = np.random.default_rng([20, seed])
    readings = {line.key: _drawn_reading(line, rng) for line in LINES if line.key != "roughness"}
    stops = float(rng.uniform(-0.8, 0.6))
    apart = rng.random() < 0.15
    return Stranger(
        seed,
        readings,
        float(rng.choice(POWERS)),
        {kind: float(rng.choice([1.0, 1.0, 0.32, 3.14, 0.5, 2.0])) for kind in KINDS},
        float(rng.uniform(-np.pi, np.pi)),
        bool(rng.random() < 0.25),
        str(rng.choice(list(CURVES))),
        float(rng.choice([0.0, 0.0, -0.15, 0.2])),
        {
            board: stops + (float(rng.uniform(-0.5, 0.5)) if apart else 0.0)
            for board in ("tones", "shine", "lamps", "around")
        },
        float(rng.uniform(-0.03, 0.03)),
        float(rng.uniform(0.9, 1.03)),
        float(rng.uniform(-0.02, 0.02)),
        (float(rng.uniform(-15, 15)), float(rng.uniform(-10, 10))),
        float(rng.uniform(0.0, 0.012)),
        _ODD_COLORS[int(rng.integers(len(_ODD_COLORS)))],
    )


def _drawn_reading(line: Line, rng: np.random.Generator) -> int:
    able = [at for at, reading in enumerate(line.readings) if reading.over is None]
    return 0 if rng.random() < 0.45 else int(rng.choice(able))


def _value(one: Stranger, line: Line) -> int:
    return one.readings.get(line.key, 0)


def recombined(
    one: Stranger, board: str, known: Expected, powers: Mapping[float, Floats] | None = None
) -> Floats:
    """Radiance (H, W, 3) of a board as a stranger reads it, out of its renderings by each reading.

    ``powers`` are pictures (2, H, W, 3) of the second board by the power that roughness is taken to.
    """
    picture = np.array(known.base)
    for line in of_board(board):
        crops = known.crops.get(line.key, ())
        at = _value(one, line)
        if line.key == "roughness" or at >= len(crops):
            continue
        made = crops[at]
        for cell in (*line.cells, *line.also):
            rows, columns = window(known.cells[cell], known.width)
            if line.readings[at].flat:
                picture[0, rows, columns] = 0
                picture[1, rows, columns] = one.missing
            elif made is not None:
                picture[:, rows, columns] = made[cell]
    if board == "shine" and powers is not None and one.power in powers:
        for cell in next(line for line in LINES if line.key == "roughness").cells:
            rows, columns = window(known.cells[cell], known.width)
            picture[:, rows, columns] = powers[one.power][:, rows, columns]
    if board == "around":
        _mirror(one, known, picture)
    glow, lamps = picture
    if board in ("tones", "shine"):
        lamps = lamps * np.float32(one.factors["sun"])
    if board == "lamps":
        lamps = lamps.copy()
        for cell, kind in known.lamps.items():
            rows, columns = window(known.cells[cell], known.width)
            lamps[rows, columns] *= np.float32(one.factors[kind])
    return np.asarray(glow + lamps, np.float32)


def _mirror(one: Stranger, known: Expected, picture: Floats) -> None:
    """What the mirrors show of surroundings that lie otherwise."""
    for key in ("mirror", "mirror2"):
        looks, on = mirrored_in(known.cells[key], places_in(known.cells[key], known.width))
        there = Rotation.from_euler("y", -one.turn_rad).apply(looks[on])
        if one.mirrored:
            there = there * np.array([-1.0, 1.0, 1.0])
        rows, columns = window(known.cells[key], known.width)
        part = picture[1, rows, columns]
        part[on] = MIRROR * radiance_from(there)


def traced(
    one: Stranger, package: GaugePackage, seed: int = 11, width: int = WIDTH, samples: int = 0
) -> Floats:
    """Radiance (H, W, 3) of a board as a stranger reads its package, rendered anew."""
    board = package.board
    scene = lit_as_asked(package.said, board)
    shades = []
    for line in of_board(board.key):
        reading = line.readings[_value(one, line)] if line.key != "roughness" else None
        bend = roughness_raised(one.power) if reading is None else reading.bend
        if reading is not None and reading.flat:
            bend = _missing(one)
        if bend is not None:
            scene = within((*line.cells, *line.also), bend, scene) or scene
        if reading is not None and reading.shade is not None:
            shades.append((line, reading.shade))
    scene = replace(
        scene,
        lights={
            id: replace(light, intensity=light.intensity * one.factors[light.kind])
            for id, light in scene.lights.items()
        },
    )
    if one.mirrored:
        scene = BY_KEY["mirrored"].bend(scene) or scene
    if scene.environment is not None:
        scene = replace(
            scene, environment=replace(scene.environment, turn_rad=scene.environment.turn_rad + one.turn_rad)
        )
    made = drawn(scene, board.key, seed, width, samples)
    for line, shade in shades:
        for cell in line.cells:
            rows, columns = window(board.cells[cell], width)
            made[1, rows, columns] = shade(
                cropped(made, board.cells[cell])[1], places_in(board.cells[cell], width), cell
            )
    return np.asarray(made.sum(axis=0), np.float32)


def _missing(one: Stranger) -> Bending:
    """Images that are not taken: one colour in their place."""

    def bend(scene: Scene) -> Scene:
        def bare(material: Material) -> Material:
            base = material.inputs["base_color"]
            inputs = {**material.inputs, "base_color": replace(base, factor=one.missing, texture=None)}
            return replace(material, inputs=inputs) if base.texture is not None else material

        return replace(scene, materials={id: bare(m) for id, m in scene.materials.items()})

    return bend


def pictured(one: Stranger, board: str, radiance: Floats) -> np.ndarray:
    """Codes (H, W, 3) of what it shows of light (H, W, 3) from a board."""
    rng = np.random.default_rng([21, one.seed, len(board)])
    scale = radiance.shape[1] / WIDTH
    light = np.maximum(radiance, 0)
    if one.contrast:
        light = 0.18 * (light / 0.18) ** (1 + one.contrast)
    made = displayed_by(np.asarray(light, np.float32), Shown(one.curve, one.exposures[board]))
    made = _through_a_lens(one, made, scale)
    made = np.clip(linear_to_srgb(made) + rng.normal(0, one.noise, made.shape), 0, 1)
    return np.floor(made * 255 + rng.random(made.shape)).clip(0, 255).astype(np.uint8)


def _through_a_lens(one: Stranger, picture: Floats, scale: float) -> Floats:
    """Enlarged, turned, shifted and bent: for each pixel, where it comes from."""
    height, width = picture.shape[:2]
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    cx, cy = (width - 1) / 2, (height - 1) / 2
    away = np.stack([(x - cx), (y - cy)], axis=-1) / np.hypot(width, height) * 2
    straight = away * (1 - one.bend * (away**2).sum(axis=-1, keepdims=True))
    straight *= np.hypot(width, height) / 2
    c, s = np.cos(one.turned_rad) / one.enlarged, np.sin(one.turned_rad) / one.enlarged
    right = c * straight[..., 0] + s * straight[..., 1] + cx + one.shift[0] * scale
    down = -s * straight[..., 0] + c * straight[..., 1] + cy + one.shift[1] * scale
    return np.stack(
        [ndimage.map_coordinates(picture[..., k], [down, right], order=1, mode="nearest") for k in range(3)],
        axis=-1,
    ).astype(np.float32)


def roughnesses(package: GaugePackage, seed: int = 5) -> dict[float, Floats]:
    """The second board by each of :data:`POWERS`."""
    scene = lit_as_asked(package.said, package.board)
    cells = next(line for line in LINES if line.key == "roughness").cells
    return {
        power: drawn(within(cells, roughness_raised(power), scene) or scene, "shine", seed, WIDTH)
        for power in POWERS
    }


def write_stranger(folder: Path) -> None:
    """Its pictures of the gauge in the layout of Taccuino, each drawn from the delivered bytes."""
    one, sheet = stranger(_SEED), sheet_named("taccuino")
    for board, file in STRANGER_FILES.items():
        light = traced(one, packed(boards()[board], sheet), width=_WIDE, samples=_FEW[board])
        Pillow.fromarray(pictured(one, board, light)).save(folder / file)
