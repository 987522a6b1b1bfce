"""Light matched with some lamps whose colour is not known: each is three, of red, green and blue light alone."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from trasloco.outside.light_match import Lamps, LightMatch, Mask, Matched, matched
from trasloco.scene.color import luminance
from trasloco.scene.model import Floats


def matched_coloring(
    picture: Floats,
    lamps: Lamps,
    where: Mask,
    curve: str = "",
    colors: bool = False,
    anchor: str = "",
    new: int = 1,
) -> LightMatch:
    """Match light to a picture (H, W, 3), display light, as :func:`matched` does; the colours of the last
    ``new`` lamps are found as well, and those of all with ``colors``.

    Raises:
        Refused: too little of the picture says anything.
    """
    if colors or not new:
        return matched(picture, lamps, where, curve, colors, anchor)
    known, others = lamps.halves[:, :-new], lamps.halves[:, -new:]
    each = others[:, :, None] * np.eye(3, dtype=np.float32)[:, None, None]
    each = each.reshape(2, 3 * new, *others.shape[2:])
    split = {f"{name} {k}": name for name in lamps.names[-new:] for k in range(3)}
    wider = Lamps((*lamps.names[:-new], *split), np.concatenate([known, each], axis=1))
    found = matched(picture, wider, where, curve, False, anchor)
    own, rest = found.lamps[: -3 * new], found.lamps[-3 * new :]
    return replace(found, lamps=(*own, *(_joined(rest[k : k + 3], split) for k in range(0, 3 * new, 3))))


def _joined(channels: Sequence[Matched], split: Mapping[str, str]) -> Matched:
    """Three lamps of one colour each, as one that is tinted."""
    name = split[channels[0].name]
    color = np.array([one.gain for one in channels])
    bright = float(luminance(color))
    red, green, blue = (float(v) for v in (color / bright if bright > 0 else np.ones(3)))
    like = {split.get(other, other) for one in channels for other in one.like} - {name}
    return Matched(
        name,
        bright,
        float(np.linalg.norm([one.unsure for one in channels] * luminance(np.eye(3)))),
        (red, green, blue),
        sum(one.share for one in channels),
        max(one.seen for one in channels),
        tuple(sorted(like)),
    )
