"""How a board looks by each reading of each line: rendered once for what a package says, and kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from trasloco.gauge import layout
from trasloco.gauge.alpha_places import place_of
from trasloco.gauge.build import Board, cell_of
from trasloco.gauge.kinds import holds
from trasloco.gauge.line import Line
from trasloco.gauge.lines import of_board, within
from trasloco.gauge.packing import GaugePackage
from trasloco.outside.showing import Floats
from trasloco.progress import Progress, silent
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, render
from trasloco.scene.model import Doubles, Scene

WIDTH = 640
"""Pixels across the frame in which pictures are read."""
HALF_CELL = 0.17
SAMPLES = {"tones": 12, "shine": 12, "lamps": 16, "around": 24}


@dataclass(frozen=True)
class Expected:
    """A board in all its readings.

    Attributes:
        base: (2, H, W, 3) radiance in nit as the files say: what glows, and what lamps or surroundings light.
        crops: by line, for each of its readings the cells by key, (2, h, w, 3) likewise. A reading that would
            look as the files say, because they do not hold what it is about, has none. lamps: their kinds by
            cell, where they came into the package as what they are.
    """

    board: str
    width: int
    cells: Mapping[str, tuple[int, int]]
    base: Floats
    crops: Mapping[str, tuple[Mapping[str, Floats] | None, ...]]
    lamps: Mapping[str, str]

    def cell(self, key: str) -> Floats:
        return cropped(self.base, self.cells[key])

    def read_as(self, line: str, at: int) -> Floats:
        """(2, H, W, 3) the board with a line taken by its reading of that place; as the files say where that
        looks the same.
        """
        made = np.array(self.base)
        for cell, crop in (self.crops[line][at] or {}).items():
            made[:, *window(self.cells[cell], self.width)] = crop
        return made


def window(cell: tuple[int, int], width: int = WIDTH) -> tuple[slice, slice]:
    """Rows and columns that a cell fills of a raster so many pixels wide."""
    x, y = layout.cell_place(*cell)
    scale = width / layout.FRAME_WIDTH
    height = round(width * 9 / 16)
    half = HALF_CELL * scale
    down, right = height / 2 - y * scale, width / 2 + x * scale
    return slice(round(down - half), round(down + half)), slice(round(right - half), round(right + half))


def cropped(picture: Floats, cell: tuple[int, int]) -> Floats:
    """A cell's part of a raster (..., H, W, 3)."""
    rows, columns = window(cell, picture.shape[-2])
    return np.asarray(picture[..., rows, columns, :])


def places_in(cell: tuple[int, int], width: int = WIDTH) -> Doubles:
    """(h, w, 2) places on the board under a cell's pixels, against its middle."""
    rows, columns = window(cell, width)
    return layout.raster(width)[rows, columns] - layout.cell_place(*cell)


def lit_as_asked(said: Scene, board: Board) -> Scene:
    """What a package says, with what its layout does not bring along set by hand as the board asks."""
    meant = board.scene
    made = said
    if meant.lights and not said.lights:
        lamps = {id: node for id, node in meant.nodes.items() if node.light is not None}
        made = replace(made, nodes={**made.nodes, **lamps}, lights=dict(meant.lights))
    if meant.environment is not None and said.environment is None:
        sky = meant.environment.image
        made = replace(made, environment=meant.environment, images={**made.images, sky: meant.images[sky]})
    return made


def expected(
    package: GaugePackage, progress: Progress = silent, seed: int = 0, width: int = WIDTH
) -> Expected:
    """Render a board by every reading. Lines whose cells lie apart share pictures."""
    board = package.board
    scene = lit_as_asked(package.said, board)
    lines = of_board(board.key)
    most = max((len(line.readings) for line in lines), default=1)
    base = drawn(scene, board.key, seed, width)
    crops: dict[str, list[Mapping[str, Floats] | None]] = {
        line.key: [None] * len(line.readings) for line in lines
    }
    progress(1 / (most + 1), f"{board.title}, as the files say")
    for at in range(most):
        bent, changed = scene, []
        for line in lines:
            if at >= len(line.readings) or not _there(line, scene):
                continue
            reading = line.readings[at]
            if reading.bend is None:
                crops[line.key][at] = {
                    cell: _shaded(line, at, cell, cropped(base, board.cells[cell]), board, width)
                    for cell in (*line.cells, *line.also)
                }
                continue
            other = within((*line.cells, *line.also), reading.bend, bent)
            if other is not None:
                bent = other
                changed.append(line)
        if changed:
            picture = drawn(bent, board.key, seed, width)
            for line in changed:
                crops[line.key][at] = {
                    cell: cropped(picture, board.cells[cell]) for cell in (*line.cells, *line.also)
                }
        progress((at + 2) / (most + 1), f"{board.title}, read otherwise")
    meant = {cell_of(one.name): one.kind for one in board.scene.lights.values()}
    lamps = {
        cell_of(one.name): one.kind
        for one in scene.lights.values()
        if meant.get(cell_of(one.name)) == one.kind
    }
    return Expected(
        board.key, width, board.cells, base, {key: tuple(one) for key, one in crops.items()}, lamps
    )


def _there(line: Line, scene: Scene) -> bool:
    """Whether the files hold what a line is about."""
    if line.kept and not all(holds(scene, cell) for cell in line.cells):
        return False
    if line.alpha is not None and place_of(scene, line.cells) != line.alpha:
        return False
    worn = [m for m in scene.materials.values() if cell_of(m.name) in line.cells]
    return not line.needs or any(line.needs in material.inputs for material in worn)


def drawn(scene: Scene, board: str, seed: int = 0, width: int = WIDTH, samples: int = 0) -> Floats:
    """(2, H, W, 3) radiance in nit that the board's camera sees: what glows, and all other light."""
    flat = flatten(scene, "apart")
    quality = Quality(width, round(width * 9 / 16), samples or SAMPLES[board], 3, seed=seed)
    made = render(flat, layout.board_view(board), quality)
    assert made.layers is not None
    each = made.layers.mean(axis=0)
    glow = each[made.layer_names.index("glow")]
    return np.stack([glow, each.sum(axis=0) - glow]).astype(np.float32)


def _shaded(line: Line, at: int, cell: str, light: Floats, board: Board, width: int) -> Floats:
    shade = line.readings[at].shade
    if shade is None:
        return light
    return np.stack([light[0], shade(light[1], places_in(board.cells[cell], width), cell)])
