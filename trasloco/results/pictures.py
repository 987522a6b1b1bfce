"""Pictures on the route: of inputs, images, crossings and their steps, one input alone on the model, and the
geometry of the live view.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import Any, TypeVar

import numpy as np

from trasloco.at_rest import Bytes
from trasloco.errors import Refused
from trasloco.fit.atlas import laid_out
from trasloco.fit.crossings import baked, how_baked
from trasloco.fit.formulas.codes import encode_values
from trasloco.fit.model import Crossing, PlannedImage
from trasloco.fit.plane import Order
from trasloco.fit.texels import drawn, plane_of, planes
from trasloco.formats.gltf_document import GlbOptions
from trasloco.formats.gltf_write import write_glb
from trasloco.inputs.table import INPUTS, VECTORS
from trasloco.proof.alone import alone_picture
from trasloco.render.picture import framing, views_of
from trasloco.render.posing import shapes_on
from trasloco.results.name import named
from trasloco.results.route import Route
from trasloco.results.store import Store
from trasloco.results.thumbnails import image_thumbnail, pooled, shrunk, value_picture
from trasloco.scene.images import encode, pixels, unit_floats
from trasloco.scene.layers import flat_size, flattened, lie_alike
from trasloco.scene.model import Scene
from trasloco.scene.resolve import input_values

B = TypeVar("B", bound=Bytes)
_MADE = ("trasloco.results.pictures",)


def input_png(route: Route, material: str, name: str, side: int) -> bytes:
    """What an input of the reference says, see :func:`input_picture`."""
    return input_picture(route.store, route.settled(), material, name, side)


def input_picture(store: Store, scene: Scene, material: str, name: str, side: int) -> bytes:
    """What an input of a scene says, as an 8-bit picture of at most ``side`` texels: colours as sRGB,
    scalars as grey, normals as usual.

    Layers that lie otherwise than their base are left out: only the model can show them.
    """
    found = scene.materials.get(material)
    given = found.inputs.get(name) if found else None
    if given is None:
        raise Refused("There is no such input.", f"{material}/{name}", "Reload the page.")
    image = scene.images.get(given.texture.image) if given.texture else None
    if image is not None and not image.usable:
        image = None
    held = [
        scene.images[t.image]
        for t in given.textures
        if t.image in scene.images and scene.images[t.image].usable
    ]

    def make() -> bytes:
        if given.layers and held and lie_alike(given):
            width, height = (min(whole, side) for whole in flat_size(given, scene.images))
            values = flattened(name, given, scene.images, width, height)
            return value_picture(values, name in VECTORS, INPUTS[name].color, side)
        small = None
        if image is not None:
            texels = pixels(image)
            small = pooled(texels, side)
            if texels.dtype.kind == "u" and small is not texels:
                small = np.round(small).astype(texels.dtype)
        values = input_values(name, given if image else replace(given, texture=None), image, small)
        return value_picture(values, name in VECTORS or name == "height", INPUTS[name].color, side)

    key = input_picture_key(scene, material, name, side)
    made: bytes = store.get_or_make(key, make)
    return made


def input_picture_key(scene: Scene, material: str, name: str, side: int) -> str:
    """What the picture of an input is kept under: all that it is made of. Raises KeyError where there is no
    such input.
    """
    given = scene.materials[material].inputs[name]
    held = [scene.images[t.image] for t in given.textures if t.image in scene.images]
    return named("input", _MADE, side, name, given, [one.digest for one in held if one.usable]).key


def image_png(route: Route, image_id: str, side: int, channel: str = "rgb") -> bytes:
    """An image as it is, small, or one of its channels as grey."""
    image = route.received().scene.images.get(image_id) or route.reference().images.get(image_id)
    if image is None or not image.usable:
        raise Refused("There is no picture of it.", image_id, "Relink the image.")
    return _kept(
        route,
        named("image", _MADE, image.digest, side, channel).key,
        lambda: image_thumbnail(image, side, channel),
    )


def crossing_of(route: Route, crossing_id: str) -> Crossing:
    """A crossing of the plan by its id. Raises Refused where there is none."""
    for crossing in route.plan().crossings:
        if crossing.id == crossing_id:
            return crossing
    raise Refused("There is no such crossing.", crossing_id, "Reload the page.")


def _alone(route: Route, crossing_id: str) -> tuple[Crossing, PlannedImage | None]:
    """A crossing with the image it ends in; before it is drawn together with others, where each part has one
    material.
    """
    plan, crossing = route.plan(), crossing_of(route, crossing_id)
    if plan.between is not None:
        plan = plan.between
        crossing = next(one for one in plan.crossings if one.id == crossing_id)
    return crossing, next((i for i in plan.images if i.path == crossing.landing.image), None)


def crossing_png(route: Route, crossing_id: str, side: int) -> bytes:
    """What is delivered for a crossing: its channel of the delivered image, or its constant."""
    crossing, planned = _alone(route, crossing_id)

    def make() -> bytes:
        if planned is not None and baked(crossing):
            scene, atlas = laid_out(
                route.reference(),
                crossing.material,
                how_baked(route.plan().of(crossing.material)),
                planned.width,
            )
            shown = drawn(Order(crossing, planned, scene, {crossing.material: atlas}))
            return value_picture(shown, False, INPUTS[crossing.name].color, side)
        if planned is None or crossing.given.texture is None:
            values = np.asarray(crossing.landing.value or crossing.given.factor, np.float32).reshape(1, 1, -1)
            if not np.isfinite(values).all():
                values = np.ones((1, 1, 1), np.float32)
            return value_picture(values, False, INPUTS[crossing.name].color, side)
        return _codes(unit_floats(plane_of(Order(crossing, planned, route.reference(), {}))), side)

    return _kept(route, named("crossing", _MADE, route.plan_name, crossing_id, side).key, make)


def step_png(route: Route, crossing_id: str, at: int, side: int) -> bytes:
    """What a crossing's texels are after its step ``at``, counted from 1; 0 is the channel as it was read."""
    crossing, planned = _alone(route, crossing_id)
    if planned is None or crossing.given.texture is None or crossing.mark in ("lost", "blocked"):
        raise Refused("There is no picture of this step.", crossing_id, "It has no image on the way.")

    def make() -> bytes:
        shown: Any = None
        wanted = list(crossing.steps[:at])
        for step, plane in planes(Order(crossing, planned, route.reference(), {})):
            if step is not None and not any(step is one for one in wanted):
                break
            texels = unit_floats(plane.texels)
            shown = (
                texels
                if plane.encoding == "srgb" or plane.vectors or texels.ndim == 2
                else encode_values(texels, "srgb")
            )
        return _codes(shown, side)

    return _kept(route, named("step", _MADE, route.plan_name, crossing_id, at, side).key, make)


def alone_png(route: Route, name: str, arrival: bool, view_name: str, width: int, height: int) -> bytes:
    """One input alone on the model, as it is meant or as it arrived, from a camera of the reference."""
    if name not in INPUTS:
        raise Refused(f"There is no input called {name}.", "the view", "Choose one of the inputs.")
    views = {view.name: view for view in (*views_of(route.reference()), framing(route.reference()))}
    view = views.get(view_name, framing(route.reference()))
    read = route.arrival_name if arrival else route.reference_name
    key = named("alone", _MADE, read, name, view.name, width, height).key
    return _kept(
        route,
        key,
        lambda: encode(
            alone_picture(route.arrival() if arrival else route.reference(), name, view, width, height), "png"
        ),
    )


def view_key(route: Route) -> str:
    """What the live view's geometry is kept under: all that it is made of, whatever was decided to get there."""

    def make() -> str:
        scene = route.settled()
        nodes = [(n.id, n.name, n.parent, n.matrix, n.mesh, n.tags) for n in scene.nodes.values()]
        return named(
            "view", _MADE, nodes, scene.meshes, [(m.id, m.name) for m in scene.materials.values()], scene.name
        ).key

    made: str = route.store.get_or_make(named("view of", _MADE, route.settled_name).key, make, keep=False)
    return made


def view_glb(route: Route) -> Bytes:
    """The geometry for the live view: parts and slots with our ids, no images."""
    return _kept(route, view_key(route), lambda: bare_glb(route.settled()))


def received_view_key(route: Route) -> str:
    return named("received view", _MADE, route.as_received_name).key


def received_view_glb(route: Route) -> Bytes:
    """The same before any mend but what findings look at: what they count their faces by."""
    return _kept(route, received_view_key(route), lambda: bare_glb(route.as_received()))


def bare_glb(scene: Scene) -> Bytes:
    """Geometry alone at rest, with our ids."""
    return write_glb(
        shapes_on(scene),
        GlbOptions(
            materials=False,
            images=False,
            ids=True,
            motion=False,
            lights=False,
            cameras=False,
            tangents=False,
            clouds=False,
        ),
    )


def _codes(texels: Any, side: int) -> bytes:
    return encode(
        shrunk(texels if texels.ndim == 3 else np.repeat(texels[..., None], 3, axis=2), side), "png"
    )


def _kept(route: Route, key: str, make: Callable[[], B]) -> B:
    made: B = route.store.get_or_make(key, make)
    return made
