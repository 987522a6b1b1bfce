"""Samples: one material on the ball and the cloth, as it is meant and as its own delivered bytes make it."""

from __future__ import annotations

from dataclasses import dataclass

from trasloco import move as verbs
from trasloco.errors import Refused
from trasloco.fit.crossings import baked
from trasloco.fit.model import Plan
from trasloco.fit.together.between import by_itself
from trasloco.inputs.table import INPUTS
from trasloco.proof.compare import Verdict, compare
from trasloco.render.exposure import displayed
from trasloco.render.sample import EV100, as_meant, render_sample, sample_scene
from trasloco.results.alone import only
from trasloco.results.name import Name, named
from trasloco.results.route import Route
from trasloco.results.store import Store
from trasloco.scene.images import encode
from trasloco.scene.model import Material, Scene
from trasloco.shelf import shelf

_MADE = ("trasloco.results.samples",)


@dataclass(frozen=True)
class Sample:
    """Both sides of a material, PNG, with how far they lie apart in ΔE (CIEDE2000), its 95th percentile and
    the noise of that, and the words for it.

    ``drawn``: labels of inputs that the arrival shows as meant, since they are drawn on the model.
    """

    mean: float
    p95: float
    noise: float
    verdict: str
    drawn: tuple[str, ...]
    reference: bytes
    arrival: bytes


def sample_name(route: Route, material: str) -> Name:
    """A sample reads its material, the images and vertex colours of it, both sheets, and what is planned for
    it: not the rest of the scene.
    """
    scene = route.reference()
    found = scene.materials.get(material)
    if found is None:
        raise Refused("There is no such material.", material, "Reload the page.")
    images = [
        scene.images[t.image].digest
        for i in found.inputs.values()
        for t in i.textures
        if t.image in scene.images
    ]
    paint = [p.colors for m in scene.meshes.values() for p in m.primitives if p.material == material]
    planned = [d for d in route.planned_by() if d.target in (material, "scene")]
    return named("sample", _MADE, found, images, paint, route.source, route.destination, planned)


def sample_png(route: Route, material: str, side: int) -> bytes:
    """The reference's sample alone, for lists."""
    name = named("meant", _MADE, sample_name(route, material), side)
    made: bytes = route.store.get_or_make(
        name.key,
        lambda: encode(
            displayed(render_sample(route.reference(), material, side, 12).radiance, EV100), "png"
        ),
    )
    return made


def sample(route: Route, material: str, quick: bool = False) -> Sample:
    """A material on both sides, measured; the arrival comes from that material's own delivered bytes.

    ``quick`` is a small one for while something is changed.
    """
    side, samples = (72, 6) if quick else (232, 20)
    name = sample_name(route, material)

    def delivered() -> tuple[Scene, Plan, Scene]:
        scene, there = only(route.reference(), material), by_itself(route.destination)
        plan = verbs.plan(scene, route.source, there, route.decisions)
        package = verbs.package(verbs.carry(scene, plan, there), there)
        return scene, plan, verbs.arrive(package, there, scene)

    def make() -> Sample:
        scene, plan, arrival = route.store.get_or_make(
            named("sample delivered", _MADE, name).key, delivered, keep=False
        )
        arrived = next(iter(arrival.materials), None)
        meant = [crossing.name for crossing in plan.of(material) if baked(crossing)]
        if arrived and meant:
            arrival = as_meant(arrival, arrived, scene, material, meant)
        before = render_sample(scene, material, side, samples)
        after = render_sample(arrival, arrived, side, samples) if arrived else before
        flat_ids = tuple(sample_scene(scene, material).materials)
        compared = compare(before, after, EV100, (*flat_ids, "none"), ("sample",))
        mine = next((s for s in compared.materials if s.id == material), None)
        mean = mine.mean if mine else compared.mean
        pictures = [encode(displayed(p.radiance, EV100), "png") for p in (before, after)]
        return Sample(
            mean,
            compared.p95,
            compared.noise,
            Verdict().words(mean),
            tuple(INPUTS[name].label for name in meant),
            pictures[0],
            pictures[1],
        )

    made: Sample = route.store.get_or_make(measured_name(route, material, quick).key, make)
    return made


def measured_name(route: Route, material: str, quick: bool) -> Name:
    return named("sample measured", _MADE, sample_name(route, material), quick)


def shelf_sample(store: Store, name: str, side: int) -> bytes:
    """A picture of a material of the library. Raises Refused where there is none of that name."""
    material = shelf().get(name)
    if material is None:
        raise Refused(f"There is no {name} on the shelf.", "the shelf", "Reload the page.")
    return material_sample(store, Scene("shelf", {}, {}, {material.id: material}), material, side)


def material_sample(store: Store, scene: Scene, material: Material, side: int) -> bytes:
    """A picture of a material that no move holds."""
    images = sorted(image.digest for image in scene.images.values())
    made: bytes = store.get_or_make(
        named("shelf", _MADE, material, images, side).key,
        lambda: encode(displayed(render_sample(scene, material.id, side, 16).radiance, EV100), "png"),
    )
    return made
