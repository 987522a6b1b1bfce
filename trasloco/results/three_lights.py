"""A material on the sample under several lights: as it is meant, and what arrives of it judged against
that.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from trasloco import move as verbs
from trasloco.errors import Refused
from trasloco.fit.model import Plan
from trasloco.fit.nearest.surroundings import Around
from trasloco.progress import Progress, part_of, silent
from trasloco.proof.compare import compare
from trasloco.proof.figure import Figure
from trasloco.render.exposure import displayed
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, Quality, render
from trasloco.render.sample import EV100, VIEW, as_meant, lit_by, sample_scene
from trasloco.scene.images import encode
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet


@dataclass(frozen=True)
class Judged:
    """One side of a material against what is meant, on the sample: mean ΔE (CIEDE2000) under each light, and
    over all, each light as much as it counts; pictures, PNG.
    """

    lights: tuple[Figure, ...]
    value: float
    low: float
    high: float
    pictures: tuple[bytes, ...]


@dataclass(frozen=True)
class Meant:
    """A material's pictures, one a light; which material, in what surroundings, and the ids of what is in
    them.
    """

    material: str
    among: Around
    lit: tuple[Picture, ...]
    ids: tuple[str, ...]


def pictures(
    scene: Scene, material: str, among: Around, quality: Quality, progress: Progress = silent
) -> Meant:
    """A material on the sample under each light."""
    lit: list[Picture] = []
    ids: tuple[str, ...] = ()
    for picture, name in zip(among.pictures, among.names, strict=True):
        flat = flatten(lit_by(sample_scene(scene, material), picture, name))
        done, more = len(lit) / len(among.names), (len(lit) + 1) / len(among.names)
        lit.append(render(flat, VIEW, quality, part_of(progress, done, more)))
        ids = flat.material_ids
    return Meant(material, among, tuple(lit), ids)


def shown(lit: Sequence[Picture]) -> tuple[bytes, ...]:
    """Pictures as PNG."""
    return tuple(encode(displayed(p.radiance, EV100), "png") for p in lit)


def delivered(scene: Scene, plan: Plan, destination: Sheet, progress: Progress = silent) -> Scene:
    """What the destination makes of the bytes of a plan."""
    carried = verbs.carry(scene, plan, destination, progress)
    return verbs.arrive(verbs.package(carried, destination), destination, scene)


def against(
    meant: Meant,
    arrival: Scene,
    scene: Scene,
    drawn: Sequence[str],
    quality: Quality,
    progress: Progress = silent,
) -> Judged:
    """The material of an arrival against what is meant.

    ``drawn``: inputs whose images were drawn for the model's own charts, which the sample shows as meant.
    """
    arrived = next(iter(arrival.materials), "")
    if not arrived:
        raise Refused("No material arrives there to be compared.", meant.material, "See the proof.")
    if drawn:
        arrival = as_meant(arrival, arrived, scene, meant.material, drawn)
    lit = pictures(arrival, arrived, meant.among, quality, progress).lit
    figures = []
    for one, other in zip(meant.lit, lit, strict=True):
        compared = compare(one, other, EV100, (*meant.ids, "none"), ("sample",), quick=True)
        figures.append(next(share.figure for share in compared.materials if share.id == meant.material))
    value, low, high = (
        sum(s * getattr(f, part) for s, f in zip(meant.among.shares, figures, strict=True))
        for part in ("value", "low", "high")
    )
    return Judged(tuple(figures), value, low, high, shown(lit))
