"""KHR_techniques_webgl in part: what a material of shaders holds under names that say what it is.

A shader cannot be read as a surface. Its values can: uniforms are called by their authors, mostly with a
prefix, ``u_diffuse`` or ``emissionColor``.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from trasloco.inputs.table import INPUTS
from trasloco.scene.model import Input, Texture

TECHNIQUES = "KHR_techniques_webgl"
_NAMES: tuple[tuple[str, re.Pattern[str]], ...] = (
    ("base_color", re.compile(r"diffuse|albedo|base_?colou?r", re.IGNORECASE)),
    ("emission", re.compile(r"emissi", re.IGNORECASE)),
    ("normal", re.compile(r"normal_?(map|tex)|bump", re.IGNORECASE)),
    ("roughness", re.compile(r"rough", re.IGNORECASE)),
    ("metalness", re.compile(r"metal", re.IGNORECASE)),
    ("occlusion", re.compile(r"occlu|(^|_)ao($|_)", re.IGNORECASE)),
)


def read_technique(
    told: Mapping[str, Any], texture_of: Callable[[dict[str, Any]], Texture | None]
) -> tuple[dict[str, Input], list[str]]:
    """Inputs by the names of a material's ``values``, and the names that say nothing that is known."""
    inputs: dict[str, Input] = {}
    unread: list[str] = []
    values = told.get("values")
    for name, value in (values if isinstance(values, dict) else {}).items():
        target = next((target for target, pattern in _NAMES if pattern.search(name)), None)
        spec = INPUTS[target] if target is not None else None
        if spec is None or target is None:
            unread.append(name)
        elif isinstance(value, dict) and "index" in value:
            found = texture_of(value)
            if found is not None:
                texture = replace(
                    found,
                    channels="rgb" if spec.channels == 3 else "r",
                    encoding="srgb" if spec.color else "linear",
                )
                inputs[target] = Input(
                    inputs[target].factor
                    if target in inputs and target != "normal"
                    else (1.0,) * spec.channels
                    if target != "normal"
                    else spec.default,
                    texture,
                )
        else:
            numbers = [
                float(v)
                for v in (value if isinstance(value, list) else [value])
                if isinstance(v, int | float) and not isinstance(v, bool)
            ]
            if len(numbers) >= spec.channels and target != "normal":
                inputs[target] = Input(
                    tuple(min(max(v, 0.0), 1.0) for v in numbers[: spec.channels]),
                    inputs[target].texture if target in inputs else None,
                )
            else:
                unread.append(name)
    return inputs, unread
