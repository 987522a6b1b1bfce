"""Materials and their inputs, as several stops show them."""

from __future__ import annotations

from typing import Literal

from ninja import Schema

from trasloco.decisions.inputs import Channels, Space
from trasloco.results.records import Blend


class TextureOut(Schema):
    image: str
    channels: Channels
    encoding: Literal["srgb", "linear"]
    space: Space | Literal[""]  # type: ignore[valid-type]
    uv_set: int
    offset: list[float]
    scale: list[float]
    rotation_rad: float
    wrap: list[Literal["repeat", "mirror", "clamp"]]
    invert: bool
    green_up: bool
    strength: float
    curve: Literal["linear", "squared", "exponent", "scaled"]
    curve_top: float
    stretch: float


class LayerOut(Schema):
    texture: TextureOut
    factor: list[float]
    mask: TextureOut | None
    blend: Blend
    weight: float
    bounded: bool


class InputOut(Schema):
    name: str
    label: str
    factor: list[float | None]
    vertex_color: bool
    origin: str
    image: str | None
    file: str | None
    channels: Channels | None
    invert: bool
    uv_set: int
    offset: list[float]
    scale: list[float]
    rotation_rad: float
    wrap: list[Literal["repeat", "mirror", "clamp"]]
    strength: float
    green_up: bool
    space: Space  # type: ignore[valid-type]
    layers: list[LayerOut]
    blends: list[Blend]
    """How layers may lie over it."""
    layers_alike: bool
    """Whether one image can show them all; else they lie otherwise than what is below them."""


class MaterialOut(Schema):
    id: str
    name: str
    parts: int
    alpha_mode: str
    alpha_cutoff: float
    double_sided: bool
    back: str | None
    inputs: list[InputOut]
