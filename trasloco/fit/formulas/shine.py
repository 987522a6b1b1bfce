"""Shine told in different ways: gloss and roughness by their curves, specular level and index, specular
colour against metalness.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.scene.color import fresnel_zero, roughness_of_gloss

Floats = npt.NDArray[np.float32]
DIELECTRIC = 0.04
"""Reflectance of a dielectric of index 1.5 seen from straight ahead, ((1.5 - 1) / (1.5 + 1))^2."""
_TINY = 1e-6

__all__ = [
    "DIELECTRIC",
    "Metallic",
    "fresnel_zero",
    "gloss_of_roughness",
    "index_of_level",
    "level_of_index",
    "metallic_of_specular",
    "roughness_of_gloss",
    "specular_of_metallic",
]


def gloss_of_roughness(roughness: npt.NDArray[Any], curve: str, top: float = 1024.0) -> Floats:
    """The inverse of :func:`trasloco.scene.color.roughness_of_gloss`, for roughness in [0, 1]; gloss comes
    out in [0, 1].
    """
    r = np.clip(np.asarray(roughness, np.float64), 0, 1)
    if curve == "linear":
        gloss = 1 - r
    elif curve == "scaled":
        gloss = (1 - r) / max(top, _TINY)
    elif curve == "squared":
        gloss = 1 - np.sqrt(r)
    elif curve == "exponent":
        gloss = (2 / np.maximum(r, _TINY) ** 4 - 2) / top
    else:
        raise ValueError(f"there is no gloss curve called {curve}")
    return np.clip(gloss, 0, 1).astype(np.float32)


def level_of_index(index: float) -> float:
    """Specular level, the weight on the reflectance of index 1.5 that gives the reflectance of another index
    (KHR_materials_ior and KHR_materials_specular: F0 = ((n - 1) / (n + 1))^2 x weight).
    """
    return fresnel_zero(index) / DIELECTRIC


def index_of_level(level: float) -> float:
    """The inverse of :func:`level_of_index`: n = (1 + sqrt F0) / (1 - sqrt F0)."""
    root = float(np.sqrt(min(max(level, 0.0) * DIELECTRIC, 1 - _TINY)))
    return (1 + root) / (1 - root)


@dataclass(frozen=True)
class Metallic:
    """Metalness and roughness terms: base colour (..., 3) and metalness (...), linear, in [0, 1]."""

    base_color: Floats
    metalness: Floats


def _brightness(color: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """Perceived brightness as the extension's appendix takes it: sqrt(0.299 r^2 + 0.587 g^2 + 0.114 b^2)."""
    return np.asarray(np.sqrt((np.square(color) * np.array([0.299, 0.587, 0.114], np.float32)).sum(axis=-1)))


def metallic_of_specular(diffuse: npt.NDArray[Any], specular: npt.NDArray[Any]) -> Metallic:
    """Diffuse and specular colour (..., 3), linear in [0, 1], as base colour and metalness.

    The conversion of the appendix of KHR_materials_pbrSpecularGlossiness: metalness solves a quadratic in the
    brightness of both, the base
    colour blends what each side says of it by metalness squared. Dark surfaces satisfy the quadratic twice;
    the appendix takes the larger
    root, here the one whose own diffuse and specular colour come nearer to the given wins.
    """
    diffuse, specular = np.asarray(diffuse, np.float32), np.asarray(specular, np.float32)
    d, s = _brightness(diffuse), _brightness(specular)
    b = d * (1 - specular.max(axis=-1)) / (1 - DIELECTRIC) + s - 2 * DIELECTRIC
    c = DIELECTRIC - s
    root = np.sqrt(np.maximum(b * b - 4 * DIELECTRIC * c, 0))
    larger, smaller = (
        _with_metalness(
            diffuse,
            specular,
            np.where(s < DIELECTRIC, 0, np.clip((-b + sign * root) / (2 * DIELECTRIC), 0, 1)),
        )
        for sign in (1, -1)
    )
    nearer = _residual(smaller, diffuse, specular) < _residual(larger, diffuse, specular)
    return Metallic(
        np.where(nearer[..., None], smaller.base_color, larger.base_color),
        np.where(nearer, smaller.metalness, larger.metalness),
    )


def _with_metalness(diffuse: Floats, specular: Floats, metalness: npt.NDArray[Any]) -> Metallic:
    m = metalness[..., None]
    left = 1 - specular.max(axis=-1, keepdims=True)
    from_diffuse = diffuse * (left / (1 - DIELECTRIC) / np.maximum(1 - m, _TINY))
    from_specular = (specular - DIELECTRIC * (1 - m)) / np.maximum(m, _TINY)
    share = m * m
    base = np.clip(from_diffuse * (1 - share) + from_specular * share, 0, 1)
    return Metallic(base.astype(np.float32), metalness.astype(np.float32))


def _residual(made: Metallic, diffuse: Floats, specular: Floats) -> npt.NDArray[Any]:
    again = specular_of_metallic(made.base_color, made.metalness)
    return np.asarray(
        np.square(again[0] - diffuse).sum(axis=-1) + np.square(again[1] - specular).sum(axis=-1)
    )


def specular_of_metallic(base_color: npt.NDArray[Any], metalness: npt.NDArray[Any]) -> tuple[Floats, Floats]:
    """Diffuse and specular colour of metalness terms, by the same appendix: specular = mix(0.04, base, m),
    diffuse = base (1 - 0.04)(1 - m) / (1 - max specular).
    """
    base, m = np.asarray(base_color, np.float32), np.asarray(metalness, np.float32)[..., None]
    specular = DIELECTRIC * (1 - m) + base * m
    diffuse = base * (1 - DIELECTRIC) * (1 - m) / np.maximum(1 - specular.max(axis=-1, keepdims=True), _TINY)
    return np.clip(diffuse, 0, 1).astype(np.float32), specular.astype(np.float32)
