"""Clips on a USD stage's one timeline: one after another, each with its span told in the layer's data."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import numpy.typing as npt
from pxr import Gf, Usd, UsdGeom

from trasloco.formats.usd_names import CLIPS
from trasloco.scene.model import Channel, Clip, Node, Scene
from trasloco.scene.straight import RATE, STEP_S, sampled, straight_times
from trasloco.scene.transforms import decompose

_APART_S = 1.0

Seconds = npt.NDArray[np.float64]


@dataclass(frozen=True)
class Span:
    """A clip's place: what is at ``t`` in the clip is at ``t + shift_s`` on the timeline."""

    clip: Clip
    start_s: float
    end_s: float
    shift_s: float


def spans_of(scene: Scene) -> list[Span]:
    """The clips of a scene laid one after another, the first as it is."""
    found: list[Span] = []
    free = None
    for clip in scene.clips.values():
        times = [float(t) for c in clip.channels for t in (c.times_s[0], c.times_s[-1]) if len(c.times_s)]
        if not times:
            continue
        start, end = min(times), max(times)
        shift = 0.0 if free is None else free - start
        found.append(Span(clip, start, end, shift))
        free = end + shift + _APART_S
    return found


class Timeline:
    """Writes what moves."""

    def __init__(self, stage: Any, scene: Scene) -> None:
        self.stage, self.scene = stage, scene
        self.rate = float(scene.frame_rate or RATE)
        self.spans = spans_of(scene)
        stage.SetTimeCodesPerSecond(self.rate)
        if scene.frame_rate:
            stage.SetFramesPerSecond(self.rate)
        if not self.spans:
            return
        stage.SetStartTimeCode(self.code(self.spans[0].start_s + self.spans[0].shift_s))
        stage.SetEndTimeCode(self.code(self.spans[-1].end_s + self.spans[-1].shift_s))
        told = {
            str(k): {"name": s.clip.name, "start": s.start_s, "end": s.end_s, "shift": s.shift_s}
            for k, s in enumerate(self.spans)
        }
        layer = stage.GetRootLayer()
        layer.customLayerData = {**layer.customLayerData, CLIPS: told}

    def code(self, seconds: float) -> float:
        """Time code of a moment on the timeline."""
        return seconds * self.rate

    def keys(
        self, node: str, path: str, rest: npt.NDArray[np.float64]
    ) -> list[tuple[float, npt.NDArray[np.float64]]]:
        """(time code, value) of a node's property over all clips.

        Where clips follow each other, what a clip does not move is held at rest.
        """
        held: list[tuple[float, npt.NDArray[np.float64]]] = []
        moved = False
        for span in self.spans:
            channel = next(
                (c for c in span.clip.channels if c.node == node and c.path == path and len(c.times_s)), None
            )
            ends = np.array([span.start_s, span.end_s])
            if channel is None:
                times, values = ends, np.tile(rest, (2, 1))
            else:
                moved = True
                times = straight_times(channel)
                times = np.unique(np.concatenate([times, ends])) if len(self.spans) > 1 else times
                values = sampled(channel, times)
            held += [(self.code(t + span.shift_s), v) for t, v in zip(times.tolist(), values)]
        return held if moved else []

    def moves(self, node: str, paths: tuple[str, ...] = ("translation", "rotation", "scale")) -> bool:
        """Whether any clip moves the node."""
        return any(
            c.node == node and c.path in paths and len(c.times_s) for s in self.spans for c in s.clip.channels
        )

    def place(self, shape: Any, node: Node) -> None:
        """A node's transform: one matrix where it is still, translation, turn and scale with their keys where
        it moves.
        """
        if not self.moves(node.id):
            if not np.array_equal(node.matrix, np.eye(4)):
                UsdGeom.Xformable(shape).AddTransformOp().Set(Gf.Matrix4d(node.matrix.T.tolist()))
            return
        shape = UsdGeom.Xformable(shape)
        translation, rotation, scale = decompose(node.matrix)
        precise = UsdGeom.XformOp.PrecisionDouble
        for path, op, rest in (
            ("translation", shape.AddTranslateOp(precise), translation),
            ("rotation", shape.AddOrientOp(precise), rotation),
            ("scale", shape.AddScaleOp(precise), scale),
        ):
            made = _quaternion if path == "rotation" else _vector
            op.Set(made(rest))
            for code, value in self.keys(node.id, path, rest):
                op.Set(made(value), Usd.TimeCode(code))


def _vector(value: Any) -> Any:
    return Gf.Vec3d(*(float(v) for v in value))


def _quaternion(value: Any) -> Any:
    x, y, z, w = (float(v) for v in value)
    return Gf.Quatd(w, x, y, z)


def told_spans(stage: Any) -> list[tuple[str, float, float, float]]:
    """(name, start, end, shift) of the clips that a layer says follow each other on its timeline."""
    told = stage.GetRootLayer().customLayerData.get(CLIPS)
    if not isinstance(told, dict):
        return []
    try:
        rows = [told[key] for key in sorted(told, key=int)]
        return [(str(r["name"]), float(r["start"]), float(r["end"]), float(r["shift"])) for r in rows]
    except (KeyError, TypeError, ValueError):
        return []


def cut_apart(
    channels: list[Channel], spans: list[tuple[str, float, float, float]]
) -> list[tuple[str, tuple[Channel, ...]]]:
    """Channels of a whole timeline as clips by their spans, each in its own time; what rests all through a
    clip is no part of it.
    """
    rest = {(c.node, c.path): c.values[0] for c in channels}
    found = []
    for name, start, end, shift in spans:
        held = []
        for channel in channels:
            times = channel.times_s.astype(np.float64) - shift
            inside = (times >= start - STEP_S / 2) & (times <= end + STEP_S / 2)
            if not inside.any():
                continue
            still = len(spans) > 1 and bool(
                (channel.values[inside] == rest[(channel.node, channel.path)]).all()
            )
            if not still:
                held.append(
                    replace(channel, times_s=times[inside].astype(np.float32), values=channel.values[inside])
                )
        found.append((name, tuple(held)))
    return found
