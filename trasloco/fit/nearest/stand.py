"""Where looks are compared: places of the sample as they are seen, under lights."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
import numpy.typing as npt
from scipy.cluster.vq import kmeans2

from trasloco.fit.nearest.surroundings import Around, Lights, lights, three
from trasloco.render.flatten import flatten
from trasloco.render.picture import Quality, render
from trasloco.render.sample import EV100, VIEW, sample_scene
from trasloco.scene.model import Input, Material, Scene

Doubles = npt.NDArray[np.float64]
PLACES = 28
_SIDE, _SAMPLES, _SEED = 64, 4, 19


@dataclass(frozen=True)
class Stand:
    """Normals (N, 3) of places, the direction to the eye from each (N, 3), and how much each counts under
    each light (N, E), all together 1; the lights on them; the exposure they are looked at with.
    """

    normals: Doubles
    viewers: Doubles
    weights: Doubles
    lights: Lights
    ev100: float


@cache
def places() -> tuple[Doubles, Doubles, Doubles]:
    """Places of the sample: every pixel that shows it belongs to the nearest of :data:`PLACES`."""
    white = Material("plain", "plain", {"base_color": Input((0.8, 0.8, 0.8))}, double_sided=True)
    flat = flatten(sample_scene(Scene("sample", materials={"plain": white}), "plain"))
    seen = render(flat, VIEW, Quality(_SIDE, _SIDE, _SAMPLES, 1))
    shown = seen.ids[..., 0] == flat.material_ids.index("plain")
    normals = seen.guides[..., 3:6][shown].astype(np.float64)
    length = np.linalg.norm(normals, axis=1)
    rows, columns = np.nonzero(shown)
    half = np.tan(VIEW.yfov_rad / 2)
    x, y = ((2 * (k + 0.5) / _SIDE - 1) * half for k in (columns, rows))
    towards = np.stack([x, -y, -np.ones(len(x))], axis=1) @ VIEW.matrix[:3, :3].T
    viewers = -towards / np.linalg.norm(towards, axis=1, keepdims=True)
    kept = length > 0.5
    normals, viewers = normals[kept] / length[kept, None], viewers[kept]
    middle, label = kmeans2(np.hstack([normals, 0.5 * viewers]), PLACES, minit="++", seed=_SEED)
    held = [k for k in range(len(middle)) if (label == k).any()]
    made = [np.stack([_unit(v[label == k].mean(axis=0)) for k in held]) for v in (normals, viewers)]
    return made[0], made[1], np.array([(label == k).mean() for k in held])


def _unit(v: Doubles) -> Doubles:
    return np.asarray(v / np.linalg.norm(v))


def stand(directions: int, among: Around | None = None) -> Stand:
    """The stand that a fit is made on, with so many directions picked by the lights; without ``among`` in the
    three lights that are always there.
    """
    among = among or three()
    normals, viewers, weights = places()
    counts = weights[:, None] * among.shares
    if among.places is not None:
        # Under its own light a scene's own places count, and not the sample's.
        counts[:, -1] = 0.0
        own = np.zeros((len(among.places[2]), len(among.shares)))
        own[:, -1] = among.places[2] * among.shares[-1]
        normals, viewers = (
            np.concatenate(pair) for pair in zip((normals, viewers), among.places[:2], strict=True)
        )
        counts = np.concatenate([counts, own])
    return Stand(normals, viewers, counts, lights(among, directions), EV100)
