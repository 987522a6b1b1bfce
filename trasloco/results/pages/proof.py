"""The Proof stop."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.decisions.kinds import in_force
from trasloco.proof.light_there import is_lit
from trasloco.proof.picturing import pixel_at
from trasloco.proof.staging import TARGET, limits_of, views_for
from trasloco.results.proving import KNOWN_TO
from trasloco.results.route import Route
from trasloco.scene.images import identify, pixels, unit_floats
from trasloco.scene.motion import ends_of
from trasloco.scene.resolve import color_of


def proofs_out(route: Route) -> dict[str, Any]:
    """What a proof can be asked for: views, moments, surroundings, limits, how well it is to be known, and
    what was accepted.
    """
    scene, holding = route.reference(), in_force(route.decisions)
    limits = limits_of(route.decisions)
    kept = next((d.value for d in holding if d.target == TARGET and d.field == "views"), None) or []
    views = views_for(scene, route.decisions)
    accepted = [d for d in holding if d.field == "accept" and d.value and d.target.startswith("cause:")]
    return {
        "lit": is_lit(scene),
        "views": [view.name for view in views],
        "aspects": {view.name: view.aspect for view in views if view.aspect > 0},
        "kept": [dict(view) for view in kept],
        "accepted": [d.target for d in accepted],
        "known_to": [{"within": within, "samples": most} for within, most in KNOWN_TO.items()],
        "limits": [limits.not_seen, limits.hardly_seen, limits.seen_when_compared],
        "clips": [
            {
                "id": c.id,
                "name": c.name,
                "seconds": (ends_of(c) or (0.0, 0.0))[1],
            }
            for c in scene.clips.values()
        ],
        "surroundings": [
            {"id": i.id, "name": i.name}
            for i in route.received().scene.images.values()
            if i.floating and i.usable
        ],
    }


def words_of(route: Route, figures: Mapping[str, Any]) -> dict[str, str]:
    """The word of each figure of a kept proof, by the limits as they are now; of older proofs those they
    have.
    """
    told = {name: figures.get(name) for name in ("frame", "subject", "worst_material")}
    limits = limits_of(route.decisions)
    return {name: limits.words(float(held["value"])) for name, held in told.items() if held}


def seconds_a_sample(figures: Mapping[str, Any]) -> float | None:
    """What one sample of one pixel took of both sides in a kept proof; None where it does not say."""
    views = figures.get("views") or ()
    spent = sum(float(side) for one in views for side in one["seconds"])
    done = sum(one["width"] * one["height"] * one["samples"] for one in views)
    return spent / done if spent > 0 and done > 0 else None


def radiance_of(exr: bytes) -> npt.NDArray[np.float32]:
    """Radiance of a kept picture, (H, W, 3) in nit."""
    return np.asarray(unit_floats(color_of(pixels(identify("picture", "picture", "picture.exr", exr)))))


def pixel_out(
    reference: npt.NDArray[np.float32], arrival: npt.NDArray[np.float32], x: int, y: int, ev100: float
) -> dict[str, Any]:
    """One pixel of both sides: radiance, codes on screen, and how far they lie apart."""
    found = pixel_at(reference, arrival, x, y, ev100)
    return {
        "x": x,
        "y": y,
        "linear": [list(v) for v in found.linear],
        "srgb": [list(v) for v in found.srgb],
        "delta_e": found.delta_e,
    }
