"""Points and lines of OpenUSD (UsdGeom Points and linear BasisCurves), both ways."""

from __future__ import annotations

from typing import Any

import numpy as np
from pxr import Gf, Usd, UsdGeom, Vt

from trasloco.formats.reading import Notes
from trasloco.scene.extent import within_reach
from trasloco.scene.model import Cloud

KINDS = ("Points", "BasisCurves")


def is_cloud(prim: Any) -> bool:
    return bool(prim.IsA(UsdGeom.Points) or prim.IsA(UsdGeom.BasisCurves))


def read_cloud(prim: Any, id: str, name: str, notes: Notes) -> Cloud | None:
    """A prim of points or curves; curves that bend are taken as straight lines between their points, which is
    told. None where it holds no points.
    """
    time = Usd.TimeCode.EarliestTime()
    held = UsdGeom.PointBased(prim)
    positions = np.array(held.GetPointsAttr().Get(time) or [], np.float32).reshape(-1, 3)
    if not len(positions) or not within_reach(positions).all():
        return None
    counts = np.full(len(positions), 1, np.int64)
    lines = np.zeros((0, 2), np.uint32)
    if prim.IsA(UsdGeom.BasisCurves):
        curves = UsdGeom.BasisCurves(prim)
        counts = np.array(curves.GetCurveVertexCountsAttr().Get(time) or [], np.int64)
        counts = counts[np.cumsum(counts) <= len(positions)]
        lines = _segments(counts, str(curves.GetWrapAttr().Get()) == "periodic")
        if str(curves.GetTypeAttr().Get()) != "linear":
            notes.note(
                "bent_curves",
                "Curves that bend",
                name,
                "They are read as straight lines between their points.",
                weight=25,
            )
    widths = np.array(
        (UsdGeom.Points(prim) if prim.IsA(UsdGeom.Points) else UsdGeom.Curves(prim)).GetWidthsAttr().Get(time)
        or [],
        np.float64,
    )
    return Cloud(
        id,
        name,
        positions,
        lines,
        _colors(prim, counts, len(positions)),
        float(widths.mean()) if len(widths) else 0.0,
    )


def _segments(counts: Any, closed: bool) -> Any:
    """Pairs of neighbours on each curve."""
    ends = np.cumsum(counts)
    first = np.arange(int(ends[-1]) if len(ends) else 0)
    last = np.isin(first, ends - 1)
    pairs = np.stack([first[~last], first[~last] + 1], axis=1) if len(first) else np.zeros((0, 2), np.int64)
    if closed:
        pairs = np.concatenate([pairs, np.stack([ends - 1, ends - counts], axis=1)])
    return np.ascontiguousarray(pairs, np.uint32)


def _colors(prim: Any, counts: Any, points: int) -> Any:
    """Display colour and opacity at every point, (N, 4), or None where no colour is told."""
    api = UsdGeom.PrimvarsAPI(prim)

    def spread(name: str, width: int) -> Any:
        given = api.GetPrimvar(name)
        values = (
            np.array(given.ComputeFlattened(Usd.TimeCode.EarliestTime()) or [], np.float32).reshape(-1, width)
            if given and given.HasValue()
            else np.zeros((0, width), np.float32)
        )
        if len(values) == 1:
            return np.repeat(values, points, axis=0)
        if len(values) == points:
            return values
        return (
            np.repeat(values, counts, axis=0)
            if len(values) == len(counts) and counts.sum() == points
            else None
        )

    color, alpha = spread("displayColor", 3), spread("displayOpacity", 1)
    if color is None:
        return None
    return np.concatenate(
        [color, alpha if alpha is not None else np.ones((points, 1), np.float32)], axis=1
    ).astype(np.float32)


def write_cloud(stage: Any, path: Any, cloud: Cloud) -> Any:
    """Points, or every line as a curve of two points."""
    at = cloud.lines.reshape(-1) if len(cloud.lines) else np.arange(len(cloud.positions))
    made: Any
    if len(cloud.lines):
        made = UsdGeom.BasisCurves.Define(stage, path)
        made.CreateTypeAttr(UsdGeom.Tokens.linear)
        made.CreateCurveVertexCountsAttr(Vt.IntArray([2] * len(cloud.lines)))
    else:
        made = UsdGeom.Points.Define(stage, path)
    positions = np.ascontiguousarray(cloud.positions[at], np.float32)
    made.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(positions))
    low, high = positions.min(axis=0), positions.max(axis=0)
    made.CreateExtentAttr(Vt.Vec3fArray([Gf.Vec3f(*map(float, low)), Gf.Vec3f(*map(float, high))]))
    if cloud.width_m > 0:
        made.CreateWidthsAttr(Vt.FloatArray([cloud.width_m]))
        made.SetWidthsInterpolation(UsdGeom.Tokens.constant)
    if cloud.colors is not None:
        made.CreateDisplayColorPrimvar(UsdGeom.Tokens.vertex).Set(
            Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(cloud.colors[at, :3]))
        )
        made.CreateDisplayOpacityPrimvar(UsdGeom.Tokens.vertex).Set(
            Vt.FloatArray.FromNumpy(np.ascontiguousarray(cloud.colors[at, 3]))
        )
    return made
