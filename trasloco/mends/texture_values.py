"""Textures as values of decisions: an image, its channels, and how it lies on the surface, as plain JSON."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from trasloco.errors import Refused
from trasloco.scene.model import Scene, Texture

_PAIRS = ("offset", "scale", "wrap")


def texture_value(texture: Texture) -> dict[str, Any]:
    """A texture as plain JSON values."""
    return {k: list(v) if isinstance(v, tuple) else v for k, v in asdict(texture).items()}


def texture_of(value: Mapping[str, Any], scene: Scene, target: str) -> Texture:
    """A texture out of its value.

    Raises:
        Refused: its image is not in the scene.
    """
    if value["image"] not in scene.images:
        raise Refused("There is no such image.", target, "Choose one of the images of the move.")
    said: dict[str, Any] = {k: tuple(v) if k in _PAIRS else v for k, v in value.items()}
    return Texture(**said)
