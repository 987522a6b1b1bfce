"""Colour maths: sRGB transfer (IEC 61966-2-1), CIE Lab under D65, CIEDE2000 (Sharma, Wu and Dalal 2005)."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.kernel import njit, prange

Floats = npt.NDArray[np.float32]

LUMINANCE = (0.2126, 0.7152, 0.0722)
TO_XYZ = np.array(
    [
        [0.4123907993, 0.3575843394, 0.1804807884],
        [0.2126390059, 0.7151686788, 0.0721923154],
        [0.0193308187, 0.1191947798, 0.9505321522],
    ]
)
"""Linear Rec.709 to CIE XYZ (IEC 61966-2-1)."""
_WHITE = TO_XYZ.sum(axis=1)


def srgb_to_linear(encoded: npt.NDArray[Any]) -> Floats:
    """IEC 61966-2-1 decoding; values in [0, 1] in and out, any shape."""
    value = np.asarray(encoded, np.float32)
    return np.where(
        value <= 0.04045,
        value / np.float32(12.92),
        ((value + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4),
    ).astype(np.float32)


_STEPS = 1 << 16
_ENCODED: Floats = np.append(1.055 * (np.arange(_STEPS + 1) / _STEPS) ** (1 / 2.4) - 0.055, 1.0).astype(
    np.float32
)


@njit(nogil=True)
def _encode_srgb(linear: npt.NDArray[np.float32], out: npt.NDArray[np.float32]) -> None:
    """The power part is looked up between 65 537 values: its curvature leaves an error below 1e-7."""
    for i in range(linear.size):
        value = min(max(linear[i], np.float32(0)), np.float32(1))
        if value <= 0.0031308:
            out[i] = value * np.float32(12.92)
        else:
            at = value * np.float32(_STEPS)
            whole = int(at)
            low = _ENCODED[whole]
            out[i] = low + (at - np.float32(whole)) * (_ENCODED[whole + 1] - low)


def linear_to_srgb(linear: npt.NDArray[Any]) -> Floats:
    """IEC 61966-2-1 encoding; values are clipped to [0, 1], any shape."""
    value = np.asarray(linear, np.float32)
    out = np.empty(value.shape, np.float32)
    _encode_srgb(np.ascontiguousarray(value).reshape(-1), out.reshape(-1))
    return out


@njit(nogil=True)
def _decode_codes(
    codes: npt.NDArray[np.uint8], table: npt.NDArray[np.float32], out: npt.NDArray[np.float32]
) -> None:
    for i in range(codes.size):
        out[i] = table[codes[i]]


def decode_srgb8(codes: npt.NDArray[np.uint8]) -> Floats:
    """Linear values of 8-bit sRGB codes, any shape."""
    out = np.empty(codes.shape, np.float32)
    _decode_codes(np.ascontiguousarray(codes).reshape(-1), SRGB8_TO_LINEAR, out.reshape(-1))
    return out


SRGB8_TO_LINEAR: Floats = srgb_to_linear(np.arange(256) / 255.0)


def luminance(linear: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """Rec.709 relative luminance of (..., 3) linear values."""
    return np.asarray(
        linear[..., 0] * LUMINANCE[0] + linear[..., 1] * LUMINANCE[1] + linear[..., 2] * LUMINANCE[2]
    )


def linear_to_lab(linear: npt.NDArray[Any]) -> npt.NDArray[np.float64]:
    """(..., 3) linear Rec.709 in [0, 1] to CIE Lab, white D65."""
    xyz = (np.asarray(linear, np.float64) @ TO_XYZ.T) / _WHITE
    delta = 6 / 29
    f = np.where(xyz > delta**3, np.cbrt(xyz), xyz / (3 * delta**2) + 4 / 29)
    return np.stack(
        [116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1
    )


@njit(fastmath=False)
def _ciede2000_one(l1: float, a1: float, b1: float, l2: float, a2: float, b2: float) -> float:
    """Equations (2) to (22) of Sharma, Wu and Dalal, Color Research & Application 30 (2005), with kL = kC =
    kH = 1.
    """
    c1 = math.hypot(a1, b1)
    c2 = math.hypot(a2, b2)
    c7 = ((c1 + c2) / 2) ** 7
    g = 0.5 * (1 - math.sqrt(c7 / (c7 + 6103515625.0)))
    ap1 = (1 + g) * a1
    ap2 = (1 + g) * a2
    cp1 = math.hypot(ap1, b1)
    cp2 = math.hypot(ap2, b2)
    hp1 = math.degrees(math.atan2(b1, ap1)) % 360 if cp1 > 0 else 0.0
    hp2 = math.degrees(math.atan2(b2, ap2)) % 360 if cp2 > 0 else 0.0
    dl = l2 - l1
    dc = cp2 - cp1
    dh_angle = 0.0
    if cp1 * cp2 != 0:
        dh_angle = hp2 - hp1
        if dh_angle > 180:
            dh_angle -= 360
        elif dh_angle < -180:
            dh_angle += 360
    dh = 2 * math.sqrt(cp1 * cp2) * math.sin(math.radians(dh_angle) / 2)
    lm = (l1 + l2) / 2
    cm = (cp1 + cp2) / 2
    if cp1 * cp2 == 0:
        hm = hp1 + hp2
    elif abs(hp1 - hp2) <= 180:
        hm = (hp1 + hp2) / 2
    elif hp1 + hp2 < 360:
        hm = (hp1 + hp2 + 360) / 2
    else:
        hm = (hp1 + hp2 - 360) / 2
    t = (
        1
        - 0.17 * math.cos(math.radians(hm - 30))
        + 0.24 * math.cos(math.radians(2 * hm))
        + 0.32 * math.cos(math.radians(3 * hm + 6))
        - 0.2 * math.cos(math.radians(4 * hm - 63))
    )
    cm7 = cm**7
    rc = 2 * math.sqrt(cm7 / (cm7 + 6103515625.0))
    rt = -math.sin(math.radians(60 * math.exp(-(((hm - 275) / 25) ** 2)))) * rc
    lm50 = (lm - 50) ** 2
    sl = 1 + 0.015 * lm50 / math.sqrt(20 + lm50)
    sc = 1 + 0.045 * cm
    sh = 1 + 0.015 * cm * t
    return math.sqrt((dl / sl) ** 2 + (dc / sc) ** 2 + (dh / sh) ** 2 + rt * (dc / sc) * (dh / sh))


@njit(parallel=True)
def _ciede2000_many(
    first: npt.NDArray[np.float64], second: npt.NDArray[np.float64], out: npt.NDArray[np.float32]
) -> None:
    for i in prange(first.shape[0]):
        out[i] = _ciede2000_one(
            first[i, 0], first[i, 1], first[i, 2], second[i, 0], second[i, 1], second[i, 2]
        )


def delta_e(first_lab: npt.NDArray[np.float64], second_lab: npt.NDArray[np.float64]) -> Floats:
    """CIEDE2000 colour difference of two (..., 3) Lab arrays, shape (...)."""
    out = np.empty(first_lab.shape[:-1], np.float32)
    _ciede2000_many(
        np.ascontiguousarray(first_lab).reshape(-1, 3),
        np.ascontiguousarray(second_lab).reshape(-1, 3),
        out.reshape(-1),
    )
    return out


def delta_e_of_linear(first: npt.NDArray[Any], second: npt.NDArray[Any]) -> Floats:
    """CIEDE2000 between two arrays of linear Rec.709 values in [0, 1], (..., 3)."""
    return delta_e(linear_to_lab(np.clip(first, 0, 1)), linear_to_lab(np.clip(second, 0, 1)))


def roughness_of_gloss(gloss: npt.NDArray[Any], curve: str, top: float = 1024.0) -> npt.NDArray[np.float32]:
    """Roughness of gloss values in [0, 1] stored by a curve.

    ``linear``: r = 1 - g. ``squared``: r = (1 - g)^2, for gloss painted against perceived sharpness.
    ``exponent``: g x ``top`` is the
    exponent n of Blinn's lobe, alpha^2 = 2 / (n + 2), r = sqrt(alpha) (Walter et al. 2007, with alpha = r^2
    as in glTF 2.0). ``scaled``:
    r = 1 - g x ``top``, gloss with a factor beside it (KHR_materials_pbrSpecularGlossiness).

    Raises:
        ValueError: another curve.
    """
    g = np.clip(np.asarray(gloss, np.float64), 0, 1)
    if curve == "linear":
        return np.asarray(1 - g, np.float32)
    if curve == "scaled":
        return np.asarray(np.clip(1 - g * top, 0, 1), np.float32)
    if curve == "squared":
        return np.asarray((1 - g) ** 2, np.float32)
    if curve == "exponent":
        return np.asarray((2 / (g * top + 2)) ** 0.25, np.float32)
    raise ValueError(f"there is no gloss curve called {curve}")


def fresnel_zero(index: float) -> float:
    """Reflectance straight ahead of a dielectric in air: ((n - 1) / (n + 1))^2."""
    return float(((index - 1) / (index + 1)) ** 2)
