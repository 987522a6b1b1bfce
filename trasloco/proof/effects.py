"""After-effects of a destination, simulated on its picture by open formulas, so that an artist sees what they
would do to a move before it is there.

Radiance is in nit, (H, W, 3); "white" is what the shared exposure saturates at. They act on both halves of a
picture alike, so that noise is still measured.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from trasloco.rays.nearest import nearest
from trasloco.render.arrays import FlatScene
from trasloco.render.exposure import SATURATION, auto_ev100, untoned
from trasloco.render.picture import Floats, Picture, View
from trasloco.render.seen import seen_by
from trasloco.scene.color import luminance
from trasloco.sheets.meanings import ToneCurve
from trasloco.sheets.model import AfterEffect

_DIRECTIONS = 24
MIDDLE_GREY = 0.18


def white(ev100: float) -> float:
    """Luminance in nit that saturates (ISO 12232): 1.2 x 2^EV100."""
    return float(SATURATION * 2.0**ev100)


def glowing(radiance: Floats, ev100: float, share: float, reach_percent: float) -> Floats:
    """A ``share`` of what is above white spread over its surroundings by a Gaussian of ``reach_percent`` of
    the picture's height; no light is made or lost.
    """
    from scipy.ndimage import gaussian_filter

    over = np.maximum(luminance(radiance) - white(ev100), 0)
    bright = radiance * (over / np.maximum(luminance(radiance), 1e-12))[..., None] * np.float32(share)
    sigma = max(reach_percent / 100 * radiance.shape[0], 0.5)
    return np.asarray(
        radiance - bright + gaussian_filter(bright, (sigma, sigma, 0), mode="reflect"), np.float32
    )


def contrasted(radiance: Floats, ev100: float, amount: float) -> Floats:
    """A power curve about middle grey on every channel: (x / 0.18)^(1 + amount) x 0.18, x in shares of white.

    Colours grow richer with it.
    """
    return powered(radiance, MIDDLE_GREY * white(ev100), amount)


def powered(radiance: Floats, grey: float, amount: float) -> Floats:
    """Every channel to the power of 1 + amount about what stays as it is."""
    return np.asarray(grey * (np.maximum(radiance, 0) / grey) ** (1 + amount), np.float32)


def shown_by_a_curve(radiance: Floats, ev100: float, curve: ToneCurve) -> Floats:
    """The light that the shared tone curve shows as a measured one shows this light: middle grey is where
    both begin to count, and what the measured curve clips is white.
    """
    exposed = np.maximum(radiance, 0) / np.float32(white(ev100))
    stops, shown = np.array(curve.stops), np.array(curve.shown)
    light = exposed if curve.by == "channel" else luminance(exposed)[..., None]
    # Below the lowest step what is shown goes down with the light.
    at = np.log2(np.maximum(light, 1e-9) / MIDDLE_GREY)
    display = np.interp(at, stops, shown) * 2.0 ** np.minimum(at - stops[0], 0)
    if curve.by == "luminance":
        display = exposed * display / np.maximum(light, 1e-9)
    return np.asarray(untoned(np.clip(display, 0, 1).astype(np.float32)) * white(ev100), np.float32)


def distorted(radiance: Floats, k1: float) -> Floats:
    """Radial distortion of the first order (Brown 1966): what is seen at a radius r comes from r (1 + k1
    r^2), r from the middle in half diagonals.
    """
    from scipy.ndimage import map_coordinates

    height, width = radiance.shape[:2]
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    cx, cy = (width - 1) / 2, (height - 1) / 2
    half = math.hypot(cx, cy) or 1.0
    scale = 1 + k1 * (((x - cx) / half) ** 2 + ((y - cy) / half) ** 2)
    at = [cy + (y - cy) * scale, cx + (x - cx) * scale]
    return np.stack(
        [map_coordinates(radiance[..., c], at, order=1, mode="nearest") for c in range(3)], axis=-1
    ).astype(np.float32)


def hidden_share(flat: FlatScene, view: View, width: int, height: int, reach_m: float) -> Floats:
    """Share (H, W) of the half space over what a view sees that something within ``reach_m`` stands in, by
    its cosine; 0 where nothing is seen.
    """
    from scipy.ndimage import gaussian_filter

    through = seen_by(flat.rays, view, width, height)
    rays, hit, far = through.looks.reshape(-1, 3), through.hit.ravel(), through.far.ravel()
    seen = np.flatnonzero(hit >= 0)
    corners = flat.arrays.positions[flat.arrays.triangles[hit[seen]]].astype(np.float64)
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-30)
    normal *= -np.sign((normal * rays[seen]).sum(axis=1, keepdims=True))
    place = through.eye + rays[seen] * far[seen, None] + normal * 1e-4
    helper = np.where(np.abs(normal[:, :1]) < 0.9, [[1.0, 0.0, 0.0]], [[0.0, 1.0, 0.0]])
    t = np.cross(helper, normal)
    t /= np.linalg.norm(t, axis=1, keepdims=True)
    b = np.cross(normal, t)
    stopped = np.zeros(len(seen))
    random = np.random.default_rng(7)
    turn = random.random(len(seen))
    for k in range(_DIRECTIONS):
        # Cosine-weighted directions, stratified, turned at every pixel.
        r, phi = math.sqrt((k + 0.5) / _DIRECTIONS), 2 * np.pi * (k * 0.6180339887 + turn)
        toward = r * np.cos(phi)[:, None] * t + r * np.sin(phi)[:, None] * b + math.sqrt(1 - r * r) * normal
        met, there = nearest(flat.rays, place.astype(np.float32), toward.astype(np.float32))
        stopped += (met >= 0) & (there < reach_m)
    share = np.zeros(len(rays), np.float32)
    share[seen] = stopped / _DIRECTIONS
    return gaussian_filter(share.reshape(height, width), 1.0)


def seen_through(
    picture: Picture, effects: Sequence[AfterEffect], flat: FlatScene, view: View, ev100: float
) -> Picture:
    """A picture as a program shows it that has these after-effects on, in the order of its sheet.

    Those without a formula do nothing.
    """
    for effect in effects:
        act = _act(effect, picture, flat, view, ev100)
        if act is not None:
            picture = replace(
                picture, even=act(picture.even), odd=act(picture.odd), layers=None, layer_names=()
            )
    return picture


def _act(
    effect: AfterEffect, picture: Picture, flat: FlatScene, view: View, ev100: float
) -> Callable[[Floats], Floats] | None:
    if effect.acts == "exposure":
        # Its own meter, ``amount`` stops brighter, told at the shared exposure.
        gain = np.float32(2.0 ** (ev100 - auto_ev100(picture.radiance) + effect.amount))
        return lambda half: np.asarray(half * gain, np.float32)
    if effect.acts == "occlusion":
        height, width = picture.even.shape[:2]
        left = (1 - np.float32(effect.amount) * hidden_share(flat, view, width, height, effect.reach))[
            ..., None
        ]
        return lambda half: np.asarray(half * left, np.float32)
    if effect.acts == "glow":
        return lambda half: glowing(half, ev100, effect.amount, effect.reach)
    if effect.acts == "contrast":
        return lambda half: contrasted(half, ev100, effect.amount)
    if effect.acts == "tone curve":
        return lambda half: shown_by_a_curve(half, ev100, effect.curve)
    if effect.acts == "distortion":
        return lambda half: distorted(half, effect.amount)
    return None
