"""Looks compared on the rendered sample, where no table of reflectance tells them: light that goes through
things and comes out elsewhere.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.optimize import minimize

from trasloco.fit.nearest.model import Doubles, Model
from trasloco.fit.nearest.points import Points
from trasloco.fit.nearest.search import STAY, AsRead
from trasloco.fit.nearest.surroundings import Around, three
from trasloco.render.arrays import FlatScene
from trasloco.render.exposure import exposed, tone_curve
from trasloco.render.flatten import flatten
from trasloco.render.material_rows import dressed
from trasloco.render.picture import Quality, render
from trasloco.render.sample import EV100, VIEW, lit_by, sample_scene
from trasloco.scene.color import delta_e, linear_to_lab
from trasloco.scene.model import Input, Material, Scene

_SIDE, _SAMPLES, _BOUNCES, _BLOCK = 48, 8, 3, 3
"""``_BLOCK``: pixels on a side that are taken together, so that noise does not pass for a difference."""
BEYOND_A_TABLE = frozenset({"transmission", "diffuse_transmission", "subsurface"})
"""Inputs whose look depends on what lies behind or within."""


class OnSample:
    """How far a place in the search is from a material, on small pictures of the sample under all lights;
    both sides share their random numbers, and the material is its mean all over. ``on_look`` hears how many
    looks there were.
    """

    def __init__(
        self,
        meant: Material,
        model: Model,
        points: Points,
        read: AsRead,
        among: Around | None = None,
        seed: int = 0,
        on_look: Callable[[int], None] = lambda looks: None,
    ) -> None:
        self.read, self.seed = read, seed
        self._looks, self._on_look = 0, on_look
        shares = points.shares
        self.model = replace(
            model, copied={name: (shares @ held)[None] for name, held in model.copied.items()}, count=1
        )
        even = replace(meant, id="even", double_sided=True, back=None)
        among = among or three()
        self._shares = among.shares
        scene = Scene("sample", materials={"even": even})
        self._flats = [
            flatten(lit_by(sample_scene(scene, "even"), picture, f"light {k}"))
            for k, picture in enumerate(among.pictures)
        ]
        self._rods = sample_scene(scene, "even").materials
        seen = [self._seen(flat) for flat in self._flats]
        number = self._flats[0].material_ids.index("even")
        self._cover = [_blocks((ids == number)[..., None].astype(np.float64))[..., 0] for _, ids in seen]
        self._lab = [lab for lab, _ in seen]

    def _seen(self, flat: FlatScene) -> tuple[Doubles, npt.NDArray[np.int32]]:
        made = render(flat, VIEW, Quality(_SIDE, _SIDE, _SAMPLES, _BOUNCES, threads=1, seed=self.seed))
        return linear_to_lab(tone_curve(exposed(_blocks(made.radiance), EV100))), made.ids[..., 0]

    def mean(self, x: Doubles) -> float:
        """Mean ΔE (CIEDE2000) over the sample, each light as much as it counts."""
        self._looks += 1
        self._on_look(self._looks)
        there = self.read(self.model.materials(x))[0]
        worn = {**self._rods, "even": replace(there, id="even", double_sided=True)}
        flats = [replace(flat, arrays=dressed(flat.arrays, list(worn.values()))) for flat in self._flats]
        with ThreadPoolExecutor(2) as pool:
            seen = list(pool.map(self._seen, flats))
        apart = [
            float(np.average(delta_e(lab, meant), weights=cover))
            for (lab, _), meant, cover in zip(seen, self._lab, self._cover, strict=True)
        ]
        return float(self._shares @ np.array(apart))


def refined(measure: OnSample, starts: list[Doubles], looks: int) -> Doubles:
    """The best of some places, followed by so many looks at the sample (Ragonneau's COBYQA: a quadratic model
    within a region of trust, no slopes needed).
    """
    low, high = measure.model.bounds.T
    wide = np.maximum(high - low, 1e-9)
    begun = min(starts, key=measure.mean)
    copied = starts[0]

    def cost(t: Doubles) -> float:
        x = np.clip(low + t * wide, low, high)
        return measure.mean(x) + STAY * float(np.abs((x - copied) / wide).mean())

    made = minimize(
        cost,
        (begun - low) / wide,
        method="COBYQA",
        bounds=[(0.0, 1.0)] * len(low),
        options={"maxfev": looks, "initial_tr_radius": 0.08, "final_tr_radius": 0.004, "scale": False},
    )
    found = np.clip(low + np.asarray(made.x) * wide, low, high)
    return min([begun, found], key=measure.mean)


def _blocks(picture: npt.NDArray[Any]) -> npt.NDArray[Any]:
    """Means of blocks of pixels, (H, W, C) to (H / B, W / B, C)."""
    rows, columns = picture.shape[0] // _BLOCK, picture.shape[1] // _BLOCK
    held = picture.reshape(rows, _BLOCK, columns, _BLOCK, -1)
    return np.asarray(held.mean(axis=(1, 3)), picture.dtype)


def as_mean(material: Material, points: Points) -> Material:
    """A material with the mean of its points all over."""
    held = points.middle.values
    return replace(
        material, inputs={name: Input(tuple(float(v) for v in value[0])) for name, value in held.items()}
    )
