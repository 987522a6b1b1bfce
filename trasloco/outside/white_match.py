"""Light and white point matched together: by itself, a mix of lamps makes up for another white as far as their
colours differ, and neither is found.

Where all lamps are found in colour, the share of it that they have in common is the white; without it in the
picture, their strengths are found once more.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.outside.lens import white_point
from trasloco.outside.light_match import Lamps, LightMatch, Mask, matched
from trasloco.outside.showing import Shown, difference, displayed_by, undisplayed
from trasloco.scene.color import luminance
from trasloco.scene.model import Doubles, Floats

_ROUNDS, _BETTER = 3, 0.9
"""How often what is left is taken for white, and what the two together may leave at most of what one does."""


def matched_with_white(
    picture: Floats, lamps: Lamps, where: Mask, curve: str, anchor: str = ""
) -> LightMatch:
    """Match light to a picture (H, W, 3), display light, whose white may be another one, which is left to be
    told by :mod:`trasloco.outside.lens`: as it is where that does not bring it clearly nearer.

    Raises:
        Refused: too little of the picture says anything.
    """
    plain = matched(picture, lamps, where, curve, False, anchor)
    curve = plain.shown.curve
    colored = matched(picture, lamps, where, curve, True, anchor)
    shares = np.array([one.share for one in colored.lamps])
    colors = np.maximum([one.color for one in colored.lamps], 1e-3)
    white = _of_luminance_one(np.exp(shares @ np.log(colors) / max(float(shares.sum()), 1e-12)))
    found = plain
    for _ in range(_ROUNDS):
        seen = _without(picture, white, curve)
        found = matched(seen, lamps, where, curve, False, anchor)
        more, told = white_point(undisplayed(seen, curve), undisplayed(found.picture, curve), where)
        white = _of_luminance_one(white * more)
        if not told:
            break
    as_taken = displayed_by((undisplayed(found.picture, curve) * white).astype(np.float32), Shown(curve, 0.0))
    if float(difference(picture[where], as_taken[where]).mean()) > _BETTER * plain.after:
        return plain
    after = float(difference(picture[where], found.picture[where]).mean())
    return replace(found, before=plain.before, after=after)


def _of_luminance_one(color: Doubles) -> Doubles:
    return np.asarray(color / float(luminance(color)))


def _without(picture: Floats, white: Doubles, curve: str) -> Floats:
    """A picture as it is with its white white again."""
    light = undisplayed(picture, curve) / white
    return np.asarray(displayed_by(light.astype(np.float32), Shown(curve, 0.0)), np.float32)
