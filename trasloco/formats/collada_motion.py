"""Skins, morphs and animation of COLLADA in the neutral scene's terms.

A node's stack of transforms may be animated number by number; the stack is therefore evaluated at every key
(and thirty times a second
between keys where curves are not straight or turns are large) and the result written as translation, rotation
and scale.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Any, Literal
from xml.etree.ElementTree import Element

import numpy as np
import numpy.typing as npt

from trasloco.formats.collada_document import Document, integers, numbers, shared_inputs
from trasloco.formats.collada_transforms import node_matrix, stack
from trasloco.scene.model import Channel, Clip
from trasloco.scene.transforms import decompose

_MEMBERS = {"X": 0, "Y": 1, "Z": 2, "ANGLE": 3, "R": 0, "G": 1, "B": 2, "A": 3}
_RATE = 30.0


@dataclass(frozen=True)
class SkinSource:
    """A skin controller: joint names, inverse bind matrices (J, 4, 4) with the bind shape in them, four
    joints and weights a point.
    """

    geometry: str
    joints: tuple[str, ...]
    inverse_bind: npt.NDArray[np.float64]
    point_joints: npt.NDArray[np.uint16]
    point_weights: npt.NDArray[np.float32]


def read_skin(document: Document, controller: Element) -> SkinSource | None:
    skin = controller.find("skin")
    joints, weights = (skin.find("joints"), skin.find("vertex_weights")) if skin is not None else (None, None)
    if skin is None or joints is None or weights is None:
        return None
    label = controller.get("name") or controller.get("id") or "skin"
    given = {i.semantic: i.source for i in shared_inputs(joints)}
    names = document.names(given.get("JOINT"))
    inverse = document.source(given.get("INV_BIND_MATRIX"))
    count = len(names)
    binds = (
        inverse.reshape(-1, 4, 4)[:count] if inverse.size >= 16 * count else np.tile(np.eye(4), (count, 1, 1))
    )
    bind = skin.find("bind_shape_matrix")
    shape = numbers(bind, 16).reshape(4, 4) if bind is not None else np.eye(4)
    inputs = {i.semantic: i for i in shared_inputs(weights)}
    counts, flat = integers(weights.find("vcount")), integers(weights.find("v"))
    width = max((i.offset for i in inputs.values()), default=1) + 1
    pairs = flat[: len(flat) // width * width].reshape(-1, width)
    table = document.source(inputs["WEIGHT"].source).reshape(-1) if "WEIGHT" in inputs else np.ones(1)
    if "JOINT" not in inputs or "WEIGHT" not in inputs or counts.sum() != len(pairs):
        document.notes.note("unread", "Skin weights are damaged", label, "The part arrives stiff.", weight=50)
        return None
    at, amount = pairs[:, inputs["JOINT"].offset], pairs[:, inputs["WEIGHT"].offset]
    sound = (at >= 0) & (at < count) & (amount >= 0) & (amount < len(table))
    owner = np.repeat(np.arange(len(counts)), counts)
    value = np.where(sound, table[np.clip(amount, 0, len(table) - 1)], 0.0)
    order = np.lexsort((-value, owner))
    owner, at, value = owner[order], np.clip(at[order], 0, max(count - 1, 0)), value[order]
    rank = np.arange(len(owner)) - np.searchsorted(owner, owner)
    kept = rank < 4
    if (value[~kept] > 0.01).any():
        document.notes.note(
            "assumed",
            "More than four joints pull at a point",
            label,
            "The four strongest are kept, their weights scaled to one.",
            weight=15,
        )
    point_joints, point_weights = (
        np.zeros((len(counts), 4), np.uint16),
        np.zeros((len(counts), 4), np.float32),
    )
    point_joints[owner[kept], rank[kept]], point_weights[owner[kept], rank[kept]] = at[kept], value[kept]
    total = point_weights.sum(axis=1, keepdims=True)
    point_weights = np.where(
        total > 0, point_weights / np.maximum(total, 1e-12), np.array([1, 0, 0, 0], np.float32)
    ).astype(np.float32)
    return SkinSource(skin.get("source", ""), tuple(names), binds @ shape, point_joints, point_weights)


def morph_inputs(morph: Element | None, semantic: str) -> list[str]:
    """Sources of a morph of one meaning: names of its shapes, or how much of each; none without a morph."""
    told = morph.findall("targets/input") if morph is not None else []
    return [one.get("source") or "" for one in told if one.get("semantic") == semantic]


@dataclass
class Curves:
    """Key times, values and whether curves are straight, of everything animated about one node."""

    channels: list[tuple[str, int | None, npt.NDArray[np.float64], npt.NDArray[np.float64], str]] = field(
        default_factory=list
    )


def read_clips(document: Document, place: dict[str, str], shaped: dict[str, str]) -> list[Clip]:
    """Clips as the document names them, or all animation as one. ``place`` maps node elements' ids to part
    ids, ``shaped`` those of sources of weights to the parts whose shapes they weigh.
    """
    library = document.root.find("library_animations")
    every = list(library.iter("animation")) if library is not None else []
    told = document.root.findall("library_animation_clips/animation_clip")
    held: list[tuple[str, list[Element]]] = []
    for element in told:
        named = [
            document.target(one.get("url"), "animation") for one in element.findall("instance_animation")
        ]
        inside = [a for one in named if one is not None for a in one.iter("animation")]
        held.append((element.get("name") or element.get("id") or document.notes.stem, inside))
    told_of = held or [(document.notes.stem, every)]
    clips = [_clip(document, name, inside, place, shaped) for name, inside in told_of]
    return [clip for clip in clips if clip is not None]


def _clip(
    document: Document,
    name: str,
    animations: list[Element],
    place: dict[str, str],
    shaped: dict[str, str],
) -> Clip | None:
    found: dict[str, Curves] = {}
    for animation in animations:
        samplers = {s.get("id", ""): s for s in animation.findall("sampler")}
        for channel in animation.findall("channel"):
            _gather(document, channel, samplers, found)
    channels: list[Channel] = []
    for id, curves in found.items():
        node = document.by_id.get(id)
        if node is not None and node.tag == "node" and id in place:
            channels += _node_channels(node, place[id], curves)
        elif id in shaped:
            channels += _weights(document, id, shaped[id], curves)
        else:
            document.notes.note(
                "motion_unread", "Motion of something else than a node", id, "This channel stays behind."
            )
    if not channels:
        return None
    return Clip(document.notes.ids.make("clip", name), name, tuple(channels))


def _gather(
    document: Document, channel: Element, samplers: dict[str, Element], found: dict[str, Curves]
) -> None:
    target = channel.get("target", "")
    match = re.fullmatch(r"([^/]+)/([^/.()]+)(?:\.(\w+))?((?:\(\d+\)){0,2})", target) or re.fullmatch(
        r"([^/()]+)()()((?:\(\d+\))?)",
        target,  # a source of numbers, or one of them
    )
    sampler = samplers.get(channel.get("source", "").lstrip("#"))
    if match is None or sampler is None:
        document.notes.note(
            "motion_unread",
            "Motion of something else than a node",
            target or "channel",
            "This channel stays behind.",
        )
        return
    inputs = {i.semantic: i.source for i in shared_inputs(sampler)}
    times, values = document.source(inputs.get("INPUT")).reshape(-1), document.source(inputs.get("OUTPUT"))
    kinds = set(document.names(inputs["INTERPOLATION"])) if "INTERPOLATION" in inputs else {"LINEAR"}
    kind = "STEP" if kinds == {"STEP"} else "LINEAR" if kinds <= {"LINEAR"} else "CURVE"
    if not len(times) or len(values) != len(times):
        document.notes.note(
            "motion_unread", "An animation without keys", target, "This channel stays behind."
        )
        return
    if kind == "CURVE":
        times, values = _bezier(document, inputs, times, values)
    index: int | None = _MEMBERS.get(match.group(3)) if match.group(3) else None
    if match.group(4):
        places = [int(n) for n in re.findall(r"\d+", match.group(4))]
        index = places[0] if len(places) == 1 else places[0] + 4 * places[1]
    found.setdefault(match.group(1), Curves()).channels.append((match.group(2), index, times, values, kind))


def _bezier(
    document: Document,
    inputs: dict[str, str],
    times: npt.NDArray[np.float64],
    values: npt.NDArray[np.float64],
) -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """Curves as samples thirty times a second; tangents are control points (t, v), as COLLADA's BEZIER has
    them. Without tangents, straight.
    """
    enter, leave = (
        document.source(inputs[name]) if name in inputs else np.zeros((0, 2))
        for name in ("IN_TANGENT", "OUT_TANGENT")
    )
    wide = values.shape[1]
    if enter.shape != (len(times), 2 * wide) or leave.shape != enter.shape:
        return times, values
    out_times: list[float] = []
    out_values: list[npt.NDArray[np.float64]] = []
    for k in range(len(times) - 1):
        steps = min(max(int((times[k + 1] - times[k]) * _RATE), 1), 1000)
        for t in times[k] + (times[k + 1] - times[k]) * np.arange(steps) / steps:
            row = np.empty(wide)
            for c in range(wide):
                low, high = 0.0, 1.0
                p = np.array(
                    [
                        [times[k], values[k, c]],
                        leave[k, 2 * c : 2 * c + 2],
                        enter[k + 1, 2 * c : 2 * c + 2],
                        [times[k + 1], values[k + 1, c]],
                    ]
                )
                for _ in range(40):
                    s = (low + high) / 2
                    low, high = (s, high) if _cubic(p[:, 0], s) < t else (low, s)
                row[c] = _cubic(p[:, 1], (low + high) / 2)
            out_times.append(float(t))
            out_values.append(row)
    return np.array([*out_times, times[-1]]), np.array([*out_values, values[-1]])


def _cubic(p: npt.NDArray[np.float64], s: float) -> float:
    return float((1 - s) ** 3 * p[0] + 3 * (1 - s) ** 2 * s * p[1] + 3 * (1 - s) * s**2 * p[2] + s**3 * p[3])


def _weights(document: Document, source: str, part: str, curves: Curves) -> list[Channel]:
    """How much of each shape a part shows, at every key of any of them."""
    start = document.source(f"#{source}").reshape(-1)
    times = np.unique(np.concatenate([t for _, _, t, _, _ in curves.channels]))
    weights = np.tile(start, (len(times), 1))
    for _, index, keys, values, kind in curves.channels:
        at = np.clip(np.searchsorted(keys, times, side="right") - 1, 0, len(keys) - 1)
        for column in range(values.shape[1]):
            place = column if index is None else index + column
            if place < len(start):
                held = values[:, column]
                weights[:, place] = held[at] if kind == "STEP" else np.interp(times, keys, held)
    stepped = all(kind == "STEP" for *_, kind in curves.channels)
    how: Literal["STEP", "LINEAR"] = "STEP" if stepped else "LINEAR"
    return [Channel(part, "weights", times.astype(np.float32), weights.astype(np.float32), how)]


def _node_channels(node: Element, part: str, curves: Curves) -> list[Channel]:
    steps = stack(node)
    start = {sid: values for _, sid, values in steps}
    times = np.unique(np.concatenate([t for _, _, t, _, _ in curves.channels]))
    turning = any(tag == "rotate" and any(sid == s for s, *_ in curves.channels) for tag, sid, _ in steps)
    if turning and len(times) > 1 and (times[-1] - times[0]) < 600:
        between = np.arange(times[0], times[-1], 1 / _RATE)
        times = np.unique(np.concatenate([times, between]))
    moved: list[tuple[Any, Any, Any]] = []
    for t in times:
        replaced: dict[str, npt.NDArray[np.float64]] = {}
        for sid, index, keys, values, kind in curves.channels:
            if sid not in start:
                continue
            at = int(np.clip(np.searchsorted(keys, t, side="right") - 1, 0, len(keys) - 1))
            value = (
                values[at]
                if kind == "STEP"
                else np.array([np.interp(t, keys, values[:, c]) for c in range(values.shape[1])])
            )
            whole = replaced.get(sid, start[sid]).copy()
            if index is None:
                if len(value) == len(whole):
                    whole = value
            elif index < len(whole):
                whole[index] = value[0]
            replaced[sid] = whole
        moved.append(decompose(node_matrix(steps, replaced)))
    if not any(sid in start for sid, *_ in curves.channels):
        return []
    stepped = all(kind == "STEP" for *_, kind in curves.channels)
    rotation = np.array([m[1] for m in moved])
    for k in range(1, len(rotation)):
        if rotation[k] @ rotation[k - 1] < 0:
            rotation[k] = -rotation[k]
    tracks = (
        ("translation", np.array([m[0] for m in moved])),
        ("rotation", rotation),
        ("scale", np.array([m[2] for m in moved])),
    )
    return [
        Channel(
            part,
            path,  # type: ignore[arg-type]
            times.astype(np.float32),
            values.astype(np.float32),
            "STEP" if stepped else "LINEAR",  # type: ignore[arg-type]
        )
        for path, values in tracks
    ]  # type: ignore[arg-type]
