"""A move's light for mixing: each lamp's picture alone, and what their strengths are now."""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.light.mixing import BACKDROP, GLOW, SURROUNDINGS, Layers, layers_of, mixed, strength_of
from trasloco.progress import Progress
from trasloco.proof.staging import exposure_of, views_for
from trasloco.render.exposure import auto_ev100
from trasloco.render.picture import Quality
from trasloco.results.name import named
from trasloco.results.route import Route

_LAST = "mix of"


def _key(route: Route, view: str) -> str:
    """Layers hold for any strengths: only what else is decided changes them."""
    return named("mix", ("trasloco.light.mixing",), route.unmixed_name, view).key


def render_layers(route: Route, wanted: str, quality: Quality, report: Progress) -> str:
    """Render the layers of a view and remember them as the move's last; the key of them."""
    scene = route.reference()
    views = views_for(scene, route.decisions)
    view = next((one for one in views if one.name == wanted), views[0])
    key = _key(route, view.name)
    route.store.get_or_make(key, lambda: layers_of(scene, view, quality, report))
    route.store.put(named(_LAST, (), route.place).key, (key, view.name))
    return key


def last_layers(route: Route) -> tuple[str, str, Layers | None]:
    """The layers that were rendered last: their key, their view, and themselves where they are still kept."""
    held = route.store.get(named(_LAST, (), route.place).key)
    if held is None:
        return "", "", None
    key, view = held
    return key, view, route.store.get(key)


def mix_out(route: Route) -> dict[str, Any]:
    """What the faders show. Exposure is as decided, or metered from the layers as they were rendered."""
    scene = route.reference()
    views = [view.name for view in views_for(scene, route.decisions)]
    key, view, layers = last_layers(route)
    if layers is None:
        return {
            "version": "",
            "current": False,
            "width": 0,
            "height": 0,
            "ev100": 0.0,
            "layers": [],
            "views": views,
        }
    pinned = exposure_of(route.decisions)
    ev100 = auto_ev100(mixed(layers, {})) if pinned is None else pinned
    rows = [
        {
            "name": name,
            "label": label_of(route, name),
            "target": target_of(route, name),
            "base": base,
            "strength": strength_of(scene, name),
        }
        for name, base in zip(layers.names, layers.strengths, strict=True)
    ]
    return {
        "version": key,
        "current": key == _key(route, view),
        "width": layers.radiance.shape[2],
        "height": layers.radiance.shape[1],
        "ev100": ev100,
        "layers": rows,
        "views": views,
    }


def label_of(route: Route, name: str) -> str:
    """What a layer of light is called."""
    if name == SURROUNDINGS:
        return "Environment"
    if name in (GLOW, BACKDROP):
        return "What glows" if name == GLOW else "Backdrop"
    node = route.reference().nodes.get(name)
    return node.name if node is not None else name.partition(":")[2]


def target_of(route: Route, name: str) -> str:
    """What is decided on for a layer of light; nothing where its strength cannot be."""
    if name == SURROUNDINGS:
        return "environment" if route.reference().environment is not None else ""
    node = route.reference().nodes.get(name)
    return (node.light or "") if node is not None else ""


def layers_bytes(route: Route) -> bytes:
    """Radiance (L, H, W, 3) as 32-bit floats.

    Raises:
        Refused: nothing was rendered yet.
    """
    layers = last_layers(route)[2]
    if layers is None:
        raise Refused("The lamps were not rendered yet.", "this move", "Render each lamp alone first.")
    return np.ascontiguousarray(layers.radiance, "<f4").tobytes()
