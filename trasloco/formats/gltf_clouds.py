"""Points and lines of glTF 2.0 (section 3.7.2.1, modes 0 to 3), both ways."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.formats.gltf_reading import Reading
from trasloco.scene.extent import within_reach
from trasloco.scene.model import Cloud

POINTS, LINES, LOOP, STRIP = 0, 1, 2, 3


def lines_of(mode: int, order: npt.NDArray[Any]) -> npt.NDArray[np.uint32]:
    """Pairs of point numbers (M, 2) of a primitive mode; none for points."""
    if mode == LINES:
        return np.ascontiguousarray(order[: len(order) // 2 * 2].reshape(-1, 2), np.uint32)
    if mode in (LOOP, STRIP) and len(order) > 1:
        ends = np.roll(order, -1) if mode == LOOP else order[1:]
        return np.ascontiguousarray(np.stack([order[: len(ends)], ends], axis=1), np.uint32)
    return np.zeros((0, 2), np.uint32)


def read_cloud(reading: Reading, source: dict[str, Any], name: str) -> Cloud | None:
    """A primitive that has no faces, or None with a finding."""
    attributes, access = source.get("attributes", {}), reading.access
    where = f"{reading.where} · {name}"
    if "POSITION" not in attributes:
        reading.note(
            "no_positions", "A mesh without points", where, "It has nothing to show and is left out."
        )
        return None
    positions = access.floats(attributes["POSITION"])
    order = (
        access.integers(source["indices"]).reshape(-1)
        if "indices" in source
        else np.arange(len(positions), dtype=np.uint32)
    )
    mode = source.get("mode", 4)
    lines = lines_of(mode, order)
    if len(order) and int(order.max()) >= len(positions):
        reading.note(
            "index_out_of_range",
            "Lines or points name points that do not exist",
            where,
            "They cannot be drawn and are left out.",
            weight=30,
        )
        lines = lines[(lines < len(positions)).all(axis=1)]
    colors = access.floats(attributes["COLOR_0"]) if "COLOR_0" in attributes else None
    if colors is not None and (len(colors) != len(positions) or colors.shape[1] < 3):
        colors = None
    if colors is not None and colors.shape[1] == 3:
        colors = np.concatenate([colors, np.ones((len(colors), 1), np.float32)], axis=1)
    chosen = np.unique(order[order < len(positions)]) if mode == POINTS and "indices" in source else None
    if chosen is not None and len(chosen) < len(positions):
        positions, colors = positions[chosen], colors[chosen] if colors is not None else None
    finite: npt.NDArray[np.bool_] = within_reach(positions)
    if not finite.all():
        reading.note(
            "not_finite",
            "Points that are not numbers",
            f"{where} · {int((~finite).sum())} of {len(finite)} points",
            "They are taken as the origin.",
            weight=30,
        )
        positions = np.where(finite[:, None], positions, 0).astype(np.float32)
    return Cloud(
        reading.ids.make("cloud", name),
        name,
        np.asarray(positions, np.float32),
        lines,
        None if colors is None else np.asarray(colors, np.float32),
    )


def cloud_entry(doc: Any, cloud: Cloud) -> dict[str, Any]:
    """A mesh of one primitive without faces."""
    attributes = {"POSITION": doc.accessor(cloud.positions, bounded=True)}
    if cloud.colors is not None:
        attributes["COLOR_0"] = doc.accessor(cloud.colors)
    primitive: dict[str, Any] = {"attributes": attributes, "mode": LINES if len(cloud.lines) else POINTS}
    if len(cloud.lines):
        primitive["indices"] = doc.accessor(np.ascontiguousarray(cloud.lines.reshape(-1), np.uint32))
    return {"name": cloud.name, "primitives": [primitive]}
