"""One side of a proof drawn by itself: nothing is compared, and half the time is spent."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from trasloco.hands.setting import hands
from trasloco.progress import Progress, Sparing, part_of
from trasloco.proof.effects import seen_through
from trasloco.proof.picturing import picture_exr, picture_png, preview_png
from trasloco.proof.proving import Side as Side
from trasloco.proof.proving import in_same_surroundings, lit_alike
from trasloco.proof.staging import staged
from trasloco.render.exposure import auto_ev100
from trasloco.render.flatten import flatten
from trasloco.render.picture import Picture, render
from trasloco.results.proving import Asked
from trasloco.results.route import Route


def drawn(
    route: Route, asked: Asked, side: Side, report: Progress, on_picture: Callable[[bytes], None]
) -> dict[str, Any]:
    """The first view that is asked for, on one side: ``png`` and ``exr`` bytes with what is told of them. Its
    exposure is that of a proof of this side alone where none was chosen.

    Raises:
        Refused: nothing lights the scene, and no light may stand in.
    """
    view, reference = asked.views[0], route.reference()
    seen = reference if side == "reference" else route.arrival(part_of(report, 0, 0.25))
    reference, seen, _ = lit_alike(reference, seen, asked.stand_in)
    here = seen if side == "reference" else in_same_surroundings(reference, seen)
    flat = flatten(staged(here, view, reference))

    looked = Sparing()

    def passed(picture: Picture) -> None:
        looked.now_and_then(side, lambda: on_picture(preview_png(picture, ev(picture))))

    def ev(picture: Picture) -> float:
        return auto_ev100(picture.radiance) if asked.ev100 is None else asked.ev100

    made = render(
        flat, view, asked.quality, part_of(report, 0.25, 1), passed, hands=hands(asked.quality.threads)
    )
    exposure = ev(made)
    if side == "arrival":
        made = seen_through(made, asked.effects, flat, view, exposure)
    return {
        "png": picture_png(made, exposure),
        "exr": picture_exr(made),
        "told": {
            "side": side,
            "view": view.name,
            "width": made.radiance.shape[1],
            "height": made.radiance.shape[0],
            "samples": made.samples,
            "ev100": exposure,
        },
    }
