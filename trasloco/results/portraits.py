"""Pictures of what is handed over, by the proof's renderer: one of everything, or frames of a turn around it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from trasloco.at_rest import Bytes
from trasloco.progress import Progress, silent
from trasloco.proof.light_there import in_some_light
from trasloco.proof.picturing import picture_png
from trasloco.proof.proving import in_same_surroundings
from trasloco.render.exposure import auto_ev100
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, View, framing, render
from trasloco.scene.extent import bounds
from trasloco.scene.model import Scene
from trasloco.scene.transforms import compose

FRAMES = 12
QUALITY = Quality(480, 270, 24, 3)


def portraits(reference: Scene, arrival: Scene, how: str, progress: Progress = silent) -> Mapping[str, Bytes]:
    """PNG by path, of the arrival in its own light, or in ours where it has none.

    ``how`` is ``none``, ``one``, or ``turntable``: frames once round, all at the exposure of the first.
    """
    if how == "none":
        return {}
    shown = in_some_light(in_same_surroundings(reference, arrival))
    whole, flat = framing(shown), flatten(shown)
    views = {"pictures/overview.png": whole}
    if how == "turntable":
        views = {f"pictures/turn-{k + 1:02}.png": _turned(shown, whole, k / FRAMES) for k in range(FRAMES)}
    made: dict[str, Bytes] = {}
    exposure: float | None = None
    for path, view in views.items():
        progress(len(made) / len(views), f"picture {len(made) + 1} of {len(views)}")
        seen = render(flat, view, QUALITY)
        exposure = auto_ev100(seen.radiance) if exposure is None else exposure
        made[path] = picture_png(seen, exposure)
    return made


def _turned(scene: Scene, view: View, share: float) -> View:
    """The view gone round the middle of everything by a share of a turn."""
    box = bounds(scene)
    x, y, z = ((box[0] + box[1]) / 2).tolist() if box is not None else (0.0, 0.0, 0.0)
    half = np.pi * share
    round_it = compose(rotation=(0.0, float(np.sin(half)), 0.0, float(np.cos(half))))
    about = np.asarray(compose((x, y, z)) @ round_it @ compose((-x, -y, -z)), np.float64)
    return replace(view, matrix=about @ view.matrix)
