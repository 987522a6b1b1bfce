"""How a picture is cut: small tiles, each with as many samples as it needs, and the pieces that are drawn at
once.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

TILE = 8
"""Pixels along a tile: small, so that what is hard to know has no easy neighbours that get as many."""
_MOST = 16384
"""Samples over all pixels of a piece, so that it is soon known when they are no more wanted and nobody waits
long for the last one; as many as make what a piece costs by itself little.
"""
Tile = tuple[int, int, int, int]
"""First and end column, first and end row."""


def tiles_of(width: int, height: int, side: int = TILE) -> list[Tile]:
    """Row after row."""
    return [
        (x, min(x + side, width), y, min(y + side, height))
        for y in range(0, height, side)
        for x in range(0, width, side)
    ]


def pieces(
    tiles: Sequence[Tile], done: Sequence[int], wanted: Sequence[int]
) -> Iterator[tuple[Tile, int, int]]:
    """What brings each tile from the samples that are ``done`` to those ``wanted``: a rectangle, its first
    sample and the one beyond its last. Neighbours in a row that ask for the same go together.
    """
    run: tuple[Tile, int, int] | None = None
    for tile, first, last in zip(tiles, done, wanted, strict=True):
        if last <= first:
            continue
        if run is not None:
            (x0, x1, y0, y1), *same = run
            wider = (x0, tile[1], y0, y1)
            if (
                tile[0] == x1
                and tile[2] == y0
                and same == [first, last]
                and _area(wider) * (last - first) <= _MOST
            ):
                run = (wider, first, last)
                continue
            yield from _cut(*run)
        run = (tile, first, last)
    if run is not None:
        yield from _cut(*run)


def _area(tile: Tile) -> int:
    return (tile[1] - tile[0]) * (tile[3] - tile[2])


def _cut(tile: Tile, first: int, last: int) -> Iterator[tuple[Tile, int, int]]:
    """As many samples at once as a piece may have, in even numbers: both halves of them alike."""
    most = max(_MOST // _area(tile) // 2 * 2, 2)
    for start in range(first, last, most):
        yield tile, start, min(start + most, last)
