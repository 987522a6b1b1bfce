"""Arithmetic nodes of the MaterialX standard library as functions of named arrays; missing inputs have the
library's defaults.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
import numpy.typing as npt
from skimage.color import hsv2rgb, rgb2hsv

Values = npt.NDArray[np.float32]
Given = Mapping[str, Values]


def broadcast(a: npt.NDArray[Any], b: npt.NDArray[Any]) -> tuple[npt.NDArray[Any], npt.NDArray[Any]]:
    """Two values with as many channels as the wider one."""
    width = max(a.shape[-1], b.shape[-1])
    return (a if a.shape[-1] == width else np.repeat(a[..., :1], width, axis=-1)), (
        b if b.shape[-1] == width else np.repeat(b[..., :1], width, axis=-1)
    )


def _of(given: Given, name: str, default: float) -> Values:
    return given.get(name, np.array([default], np.float32))


def _two(act: Callable[[Any, Any], Any], second: float) -> Callable[[Given], Values]:
    def run(given: Given) -> Values:
        a, b = _aligned(_of(given, "in1", 0.0), _of(given, "in2", second))
        return np.asarray(act(a, b), np.float32)

    return run


def _aligned(*values: Values) -> list[Values]:
    """Values with equal channels, and images brought to the largest size among them by nearest texel."""
    width = max(v.shape[-1] for v in values)
    sized = [v if v.shape[-1] == width else np.repeat(v[..., :1], width, axis=-1) for v in values]
    pictures = [v for v in sized if v.ndim == 3]
    if not pictures:
        return sized
    height, across = max(v.shape[0] for v in pictures), max(v.shape[1] for v in pictures)
    return [
        v
        if v.ndim < 3 or v.shape[:2] == (height, across)
        else v[np.arange(height) * v.shape[0] // height][:, np.arange(across) * v.shape[1] // across]
        for v in sized
    ]


def _one(act: Callable[[Any], Any]) -> Callable[[Given], Values]:
    return lambda given: np.asarray(act(_of(given, "in", 0.0)), np.float32)


def _mix(given: Given) -> Values:
    front, back, amount = _aligned(_of(given, "fg", 0.0), _of(given, "bg", 0.0), _of(given, "mix", 0.0))
    return np.asarray(back + (front - back) * amount, np.float32)


def _clamp(given: Given) -> Values:
    value, low, high = _aligned(_of(given, "in", 0.0), _of(given, "low", 0.0), _of(given, "high", 1.0))
    return np.asarray(np.clip(value, low, high), np.float32)


def _remap(given: Given) -> Values:
    value, a, b, c, d = _aligned(
        _of(given, "in", 0.0),
        _of(given, "inlow", 0.0),
        _of(given, "inhigh", 1.0),
        _of(given, "outlow", 0.0),
        _of(given, "outhigh", 1.0),
    )
    span = np.where(np.abs(b - a) > 1e-12, b - a, 1.0)
    return np.asarray(c + (value - a) / span * (d - c), np.float32)


def _luminance(given: Given) -> Values:
    value = _of(given, "in", 0.0)
    weights = given.get("lumacoeffs", np.array([0.2722287, 0.6740818, 0.0536895], np.float32))
    grey = (value[..., :3] * weights).sum(axis=-1, keepdims=True) if value.shape[-1] >= 3 else value
    return np.asarray(np.repeat(grey, min(value.shape[-1], 3), axis=-1), np.float32)


def _combine(given: Given) -> Values:
    return np.asarray(
        np.concatenate([np.broadcast_to(v[..., :1], (*_shape(given), 1)) for v in _ordered(given)], axis=-1),
        np.float32,
    )


def _ordered(given: Given) -> list[Values]:
    return [given[key] for key in ("in1", "in2", "in3", "in4") if key in given]


def _shape(given: Given) -> tuple[int, ...]:
    return max((v.shape[:-1] for v in given.values()), key=len)


def _contrast(given: Given) -> Values:
    value, amount, pivot = _aligned(
        _of(given, "in", 0.0), _of(given, "amount", 1.0), _of(given, "pivot", 0.5)
    )
    return np.asarray((value - pivot) * amount + pivot, np.float32)


def _invert(given: Given) -> Values:
    value, amount = _aligned(_of(given, "in", 0.0), _of(given, "amount", 1.0))
    return np.asarray(amount - value, np.float32)


def _smoothstep(given: Given) -> Values:
    value, low, high = _aligned(_of(given, "in", 0.0), _of(given, "low", 0.0), _of(given, "high", 1.0))
    t = np.clip((value - low) / np.where(np.abs(high - low) > 1e-12, high - low, 1.0), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)


def _turn(given: Given) -> Values:
    """Clockwise by degrees."""
    value, angle = _of(given, "in", 0.0), np.radians(_of(given, "amount", 0.0))
    x, y, c, s = value[..., 0:1], value[..., 1:2], np.cos(angle), np.sin(angle)
    return np.asarray(np.concatenate([c * x + s * y, -s * x + c * y], axis=-1), np.float32)


def _sum_of(act: Callable[[Any, Any], Any]) -> Callable[[Given], Values]:
    def run(given: Given) -> Values:
        a, b = _aligned(_of(given, "in1", 0.0), _of(given, "in2", 0.0))
        return np.asarray(act(a, b).sum(axis=-1, keepdims=True), np.float32)

    return run


def _length(given: Given) -> Values:
    return np.asarray(np.linalg.norm(_of(given, "in", 0.0), axis=-1, keepdims=True), np.float32)


def _unit(given: Given) -> Values:
    value = _of(given, "in", 0.0)
    return np.asarray(value / np.maximum(np.linalg.norm(value, axis=-1, keepdims=True), 1e-12), np.float32)


def _angle(given: Given) -> Values:
    y, x = _aligned(_of(given, "iny", 0.0), _of(given, "inx", 1.0))
    return np.asarray(np.arctan2(y, x), np.float32)


def _where(test: Callable[[Any, Any], Any]) -> Callable[[Given], Values]:
    def run(given: Given) -> Values:
        value, other, one, two = _aligned(
            _of(given, "value1", 1.0),
            _of(given, "value2", 0.0),
            _of(given, "in1", 0.0),
            _of(given, "in2", 0.0),
        )
        return np.asarray(np.where(test(value, other), one, two), np.float32)

    return run


def _by_hue(change: Callable[[Any], Any]) -> Callable[[Given], Values]:
    def run(given: Given) -> Values:
        value = _of(given, "in", 0.0)
        flat = np.broadcast_to(
            value[..., :3] if value.shape[-1] >= 3 else value[..., :1], (*value.shape[:-1], 3)
        )
        return np.asarray(change(flat), np.float32)

    return run


ARITHMETIC: dict[str, Callable[[Given], Values]] = {
    "add": _two(np.add, 0.0),
    "subtract": _two(np.subtract, 0.0),
    "multiply": _two(np.multiply, 1.0),
    "min": _two(np.minimum, 0.0),
    "max": _two(np.maximum, 0.0),
    "divide": _two(lambda a, b: a / np.where(np.abs(b) > 1e-12, b, 1.0), 1.0),
    "power": _two(lambda a, b: np.power(np.maximum(a, 0), b), 1.0),
    "absval": _one(np.abs),
    "sqrt": _one(lambda v: np.sqrt(np.maximum(v, 0))),
    "floor": _one(np.floor),
    "ceil": _one(np.ceil),
    "sin": _one(np.sin),
    "cos": _one(np.cos),
    "mix": _mix,
    "clamp": _clamp,
    "remap": _remap,
    "range": _remap,
    "luminance": _luminance,
    "contrast": _contrast,
    "invert": _invert,
    "ifgreatereq": _where(np.greater_equal),
    "ifgreater": _where(np.greater),
    "ifequal": _where(np.equal),
    "and": _two(lambda a, b: (a > 0.5) & (b > 0.5), 0.0),
    "or": _two(lambda a, b: (a > 0.5) | (b > 0.5), 0.0),
    "xor": _two(lambda a, b: (a > 0.5) ^ (b > 0.5), 0.0),
    "not": _one(lambda v: v <= 0.5),
    "modulo": _two(lambda a, b: a - b * np.floor(a / np.where(np.abs(b) > 1e-12, b, 1.0)), 1.0),
    "difference": _two(lambda a, b: np.abs(a - b), 0.0),
    "fract": _one(lambda v: v - np.floor(v)),
    "round": _one(lambda v: np.floor(v + 0.5)),
    "sign": _one(np.sign),
    "tan": _one(np.tan),
    "asin": _one(lambda v: np.arcsin(np.clip(v, -1, 1))),
    "acos": _one(lambda v: np.arccos(np.clip(v, -1, 1))),
    "atan2": _angle,
    "exp": _one(lambda v: np.exp(np.minimum(v, 80))),
    "ln": _one(lambda v: np.log(np.maximum(v, 1e-12))),
    "dotproduct": _sum_of(np.multiply),
    "magnitude": _length,
    "normalize": _unit,
    "rotate2d": _turn,
    "rgbtohsv": _by_hue(rgb2hsv),
    "hsvtorgb": _by_hue(hsv2rgb),
    "smoothstep": _smoothstep,
    "combine2": _combine,
    "combine3": _combine,
    "combine4": _combine,
}
