"""Light and white point matched together: by itself, a mix of lamps makes up for another white as far as their
colours differ, and neither is found.

Where all lamps are found in colour, the share of it that they have in common is the white; without it in the
picture, their strengths are found once more.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from trasloco.outside.light_match import Lamps, LightMatch, Mask, matched
from trasloco.outside.showing import Shown, difference, displayed_by, undisplayed
from trasloco.outside.unknown_colors import matched_coloring
from trasloco.scene.color import luminance
from trasloco.scene.model import Doubles, Floats

_ROUNDS, _BETTER = 3, 0.9
"""How often what is left is taken for white, and what the two together may leave at most of what one does."""
_LEAST_KNOWN = 0.05
"""The share of the light that lamps whose colour is known must give for them to tell the white."""


def matched_with_white(
    picture: Floats, lamps: Lamps, where: Mask, curve: str, anchor: str = "", new: int = 0
) -> tuple[LightMatch, Floats]:
    """Match light to a picture (H, W, 3), display light, whose white may be another one, which is left to be
    told by :mod:`trasloco.outside.lens`; and the picture with its white white again. Where that does not bring
    it clearly nearer, both are as they are.

    Args:
        new: so many lamps, the last ones, have a colour that is not known, and is found; they tell nothing of
            the white.

    Raises:
        Refused: too little of the picture says anything.
    """
    plain = matched_coloring(picture, lamps, where, curve, False, anchor, new)
    curve = plain.shown.curve
    colored = matched(picture, lamps, where, curve, True, anchor)
    known = colored.lamps[: len(colored.lamps) - new]
    shares = np.array([one.share for one in known])
    if float(shares.sum()) < _LEAST_KNOWN:
        return plain, picture
    colors = np.maximum([one.color for one in known], 1e-3)
    white = _of_luminance_one(np.exp(shares @ np.log(colors) / float(shares.sum())))
    found, seen = plain, picture
    for _ in range(_ROUNDS):
        seen = _without(picture, white, curve)
        found = matched_coloring(seen, lamps, where, curve, False, anchor, new)
        white = _of_luminance_one(white * _of_what_is_known(seen, lamps, found, where, curve, new))
    as_taken = displayed_by((undisplayed(found.picture, curve) * white).astype(np.float32), Shown(curve, 0.0))
    if float(difference(picture[where], as_taken[where]).mean()) > _BETTER * plain.after:
        return plain, picture
    after = float(difference(picture[where], found.picture[where]).mean())
    return replace(found, before=plain.before, after=after), seen


def _of_what_is_known(
    picture: Floats, lamps: Lamps, found: LightMatch, where: Mask, curve: str, new: int
) -> Doubles:
    """The colour (3,) in which all lamps together are seen whose own is known, beside those whose is not."""
    known = len(lamps.names) - new
    gains = np.array([one.gain for one in found.lamps[:known]])
    together = np.einsum("hlyxc,l->hyxc", lamps.halves[:, :known], gains).astype(np.float32)[:, None]
    two = Lamps(("known", *lamps.names[known:]), np.concatenate([together, lamps.halves[:, known:]], axis=1))
    return np.array(matched(picture, two, where, curve, True, "known").lamps[0].color)


def _of_luminance_one(color: Doubles) -> Doubles:
    return np.asarray(color / float(luminance(color)))


def _without(picture: Floats, white: Doubles, curve: str) -> Floats:
    """A picture as it is with its white white again."""
    light = undisplayed(picture, curve) / white
    return np.asarray(displayed_by(light.astype(np.float32), Shown(curve, 0.0)), np.float32)
