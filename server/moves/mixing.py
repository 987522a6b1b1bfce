"""A move's light for mixing: each lamp's picture alone, and what their strengths are now."""

from __future__ import annotations

from typing import Any

import numpy as np

from server.moves.bench import Bench
from server.moves.store import store
from trasloco.errors import Refused
from trasloco.light.mixing import BACKDROP, GLOW, SURROUNDINGS, Layers, layers_of, mixed, strength_of
from trasloco.progress import Progress
from trasloco.proof.staging import exposure_of, views_for
from trasloco.render.picture import Quality, auto_ev100
from trasloco.results.name import named
from trasloco.scene.digest import digest

_LAST = "mix of"


def _key(bench: Bench, view: str) -> str:
    """Layers hold for any strengths: only what else is decided changes them."""
    return named("mix", ("trasloco.light.mixing",), bench.unmixed_name, view).key


def render_layers(bench: Bench, wanted: str, quality: Quality, report: Progress) -> str:
    """Render the layers of a view and remember them as the move's last; the key of them."""
    scene = bench.reference()
    views = views_for(scene, bench.decisions)
    view = next((one for one in views if one.name == wanted), views[0])
    key = _key(bench, view.name)
    store.get_or_make(key, lambda: layers_of(scene, view, quality, report))
    store.put(digest(_LAST, bench.move.id), (key, view.name))
    return key


def _last(bench: Bench) -> tuple[str, str, Layers | None]:
    held = store.get(digest(_LAST, bench.move.id))
    if held is None:
        return "", "", None
    key, view = held
    return key, view, store.get(key)


def mix_out(bench: Bench) -> dict[str, Any]:
    """What the faders show. Exposure is as decided, or metered from the layers as they were rendered."""
    scene = bench.reference()
    views = [view.name for view in views_for(scene, bench.decisions)]
    key, view, layers = _last(bench)
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
    pinned = exposure_of(bench.decisions)
    ev100 = auto_ev100(mixed(layers, {})) if pinned is None else pinned
    rows = [
        {
            "name": name,
            "label": _label(bench, name),
            "target": _target(bench, name),
            "base": base,
            "strength": strength_of(scene, name),
        }
        for name, base in zip(layers.names, layers.strengths, strict=True)
    ]
    return {
        "version": key,
        "current": key == _key(bench, view),
        "width": layers.radiance.shape[2],
        "height": layers.radiance.shape[1],
        "ev100": ev100,
        "layers": rows,
        "views": views,
    }


def _label(bench: Bench, name: str) -> str:
    if name == SURROUNDINGS:
        return "Environment"
    if name in (GLOW, BACKDROP):
        return "What glows" if name == GLOW else "Backdrop"
    node = bench.reference().nodes.get(name)
    return node.name if node is not None else name.partition(":")[2]


def _target(bench: Bench, name: str) -> str:
    if name == SURROUNDINGS:
        return "environment" if bench.reference().environment is not None else ""
    node = bench.reference().nodes.get(name)
    return (node.light or "") if node is not None else ""


def layers_bytes(bench: Bench) -> bytes:
    """Radiance (L, H, W, 3) as 32-bit floats.

    Raises:
        Refused: nothing was rendered yet.
    """
    layers = _last(bench)[2]
    if layers is None:
        raise Refused("The lamps were not rendered yet.", bench.move.name, "Render each lamp alone first.")
    return np.ascontiguousarray(layers.radiance, "<f4").tobytes()
