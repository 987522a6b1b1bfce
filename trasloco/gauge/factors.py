"""Open formulas that explain why lamps come in weaker or stronger, where one does.

A point of I candela sends 4 pi I lumen; a lamp that shines to one side by Lambert's law has pi I. 683 lm/W is
the luminous efficacy by which the candela is defined (SI Brochure, 9th edition).
"""

from __future__ import annotations

import math

from trasloco.gauge.numbers import Number

_EFFICACY = 683.0
_EVERY: tuple[tuple[float, str, tuple[str, ...]], ...] = (
    (1 / (4 * math.pi), "candela are read as lumen, over all directions", ("point", "spot")),
    (4 * math.pi, "lumen are made of candela, and read as candela", ("point", "spot")),
    (1 / math.pi, "a factor of pi is left out", ("sun", "point", "spot", "rectangle", "disc")),
    (math.pi, "a factor of pi is taken twice", ("sun", "point", "spot", "rectangle", "disc")),
    (1 / _EFFICACY, "light is taken for watts", ("sun", "point", "spot", "rectangle", "disc")),
    (_EFFICACY, "watts are made of light, and read as light", ("sun", "point", "spot", "rectangle", "disc")),
    (1 / (4 * math.pi * _EFFICACY), "candela are read as watts, over all directions", ("point", "spot")),
)
_OFF = 0.03


def explained(kind: str, strength: Number) -> str:
    """The formula that explains a strength within 3 % or what it is sure of; empty where none does, or none
    is needed.
    """
    if strength.value <= 0:
        return ""
    off = max(_OFF, 2 * strength.unsure / strength.value)
    for factor, words, kinds in _EVERY:
        if kind in kinds and abs(strength.value / factor - 1) < off < 0.2:
            return words
    return ""
