"""The transform stack of a COLLADA node: each element a (4, 4) matrix, and the whole stack with some numbers
replaced at a moment.
"""

from __future__ import annotations

from collections.abc import Mapping
from xml.etree.ElementTree import Element

import numpy as np
import numpy.typing as npt

from trasloco.formats.collada_document import numbers
from trasloco.scene.model import Doubles
from trasloco.scene.transforms import looking

LENGTHS = {"translate": 3, "rotate": 4, "scale": 3, "matrix": 16, "lookat": 9, "skew": 7}


def step_matrix(tag: str, values: npt.NDArray[np.float64]) -> Doubles:
    """One transform element as a matrix (COLLADA 1.4.1, chapter 5)."""
    made: Doubles = np.eye(4)
    if tag == "translate":
        made[:3, 3] = values
    elif tag == "scale":
        made[:3, :3] = np.diag(values)
    elif tag == "rotate":
        made[:3, :3] = _turn(values[:3], np.radians(values[3]))
    elif tag == "matrix":
        made = values.reshape(4, 4)
    elif tag == "lookat":
        made = (
            looking(tuple(values[:3]), tuple(values[3:6]), tuple(values[6:9]))
            if np.linalg.norm(values[:3] - values[3:6]) > 1e-12
            else made
        )
    elif tag == "skew":
        along, across = values[4:7], values[1:4]
        made[:3, :3] += (
            np.tan(np.radians(values[0])) * np.outer(across, along) / max(float(along @ along), 1e-30)
        )
    return made


def _turn(axis: npt.NDArray[np.float64], angle: float) -> Doubles:
    """Rodrigues' formula."""
    length = float(np.linalg.norm(axis))
    if length < 1e-12:
        return np.eye(3)
    x, y, z = axis / length
    cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.asarray(np.eye(3) + np.sin(angle) * cross + (1 - np.cos(angle)) * (cross @ cross))


def stack(node: Element) -> list[tuple[str, str, npt.NDArray[np.float64]]]:
    """(tag, sid, numbers) of a node's transform elements in order."""
    return [
        (child.tag, child.get("sid", ""), numbers(child, LENGTHS[child.tag]))
        for child in node
        if child.tag in LENGTHS
    ]


def node_matrix(
    steps: list[tuple[str, str, npt.NDArray[np.float64]]],
    replaced: Mapping[str, npt.NDArray[np.float64]] | None = None,
) -> Doubles:
    """The product of all steps, with the numbers of some sids replaced."""
    made: Doubles = np.eye(4)
    for tag, sid, values in steps:
        made = made @ step_matrix(tag, replaced[sid] if replaced and sid in replaced else values)
    return made
