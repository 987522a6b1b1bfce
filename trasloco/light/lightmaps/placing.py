"""Many rectangles in few squares, or each in an image of its own; all sides powers of two."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

BORDER = 2
"""Texels kept free around a part, so that no neighbour is read with it."""
LEAST = 4


@dataclass(frozen=True)
class Place:
    """Where a part lies: number of the image, and its inner rectangle in texels."""

    image: int
    x: int
    y: int
    width: int
    height: int


@dataclass(frozen=True)
class Placed:
    """Sizes (width, height) of the images, and the place of each part."""

    sizes: tuple[tuple[int, int], ...]
    places: Mapping[str, Place]


def _power(value: int, most: int) -> int:
    side = LEAST * 2
    while side < value and side < most:
        side *= 2
    return side


def one_each(wanted: Mapping[str, tuple[int, int]], most: int) -> Placed:
    """An image for every part, its inside stretched to powers of two."""
    sizes, places = [], {}
    for number, (part, (width, height)) in enumerate(wanted.items()):
        size = _power(width + 2 * BORDER, most), _power(height + 2 * BORDER, most)
        sizes.append(size)
        places[part] = Place(number, BORDER, BORDER, size[0] - 2 * BORDER, size[1] - 2 * BORDER)
    return Placed(tuple(sizes), places)


def together(wanted: Mapping[str, tuple[int, int]], most: int) -> Placed:
    """Parts on shelves in as few squares as they need, of which each is as small as it can be."""
    rest = sorted(wanted, key=lambda part: (-wanted[part][1], -wanted[part][0], part))
    inner = most - 2 * BORDER
    boxes = {part: (min(wanted[part][0], inner), min(wanted[part][1], inner)) for part in rest}
    sizes: list[tuple[int, int]] = []
    places: dict[str, Place] = {}
    while rest:
        side = LEAST * 4
        while True:
            found = shelved(rest, boxes, side, len(sizes))
            if len(found) == len(rest) or side >= most:
                break
            side *= 2
        sizes.append((side, side))
        places.update(found)
        rest = [part for part in rest if part not in found]
    return Placed(tuple(sizes), places)


def shelved(
    parts: Sequence[str], boxes: Mapping[str, tuple[int, int]], side: int, image: int
) -> dict[str, Place]:
    """What fits on shelves of one square, of parts that are sorted with the tallest first; every box goes on the
    first shelf with room.
    """
    shelves: list[list[int]] = []  # top, height, width used
    found: dict[str, Place] = {}
    for part in parts:
        width, height = boxes[part][0] + 2 * BORDER, boxes[part][1] + 2 * BORDER
        shelf = next((s for s in shelves if s[1] >= height and s[2] + width <= side), None)
        if shelf is None:
            top = sum(s[1] for s in shelves)
            if top + height > side or width > side:
                continue
            shelf = [top, height, 0]
            shelves.append(shelf)
        found[part] = Place(image, shelf[2] + BORDER, shelf[0] + BORDER, boxes[part][0], boxes[part][1])
        shelf[2] += width
    return found
