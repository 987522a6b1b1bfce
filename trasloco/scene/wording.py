"""Names as they are kept and printed."""

from __future__ import annotations

import re
import unicodedata

MOST_LETTERS = 255
_TURNING = re.compile("[\u061c\u200e\u200f\u202a-\u202e\u2066-\u2069]")
"""Marks that turn the direction of text (Unicode Standard Annex 9): a name with them can read as another."""


def legible(name: str) -> str:
    """A name without what breaks, turns or hides text, no longer than 255 letters. Control characters become
    a space, halves of a surrogate pair the sign for what cannot be read; a sound name comes back as it is.
    """
    if name.isascii() and name.isprintable() and len(name) <= MOST_LETTERS:
        return name
    plain = _TURNING.sub("", name)
    plain = "".join(_SIGNS.get(unicodedata.category(c), c) if not c.isprintable() else c for c in plain)
    plain = re.sub(r" {2,}", " ", plain).strip() if plain != name else plain
    return plain if len(plain) <= MOST_LETTERS else plain[: MOST_LETTERS - 1] + "…"


_SIGNS = {"Cc": " ", "Zl": " ", "Zp": " ", "Cs": "\ufffd"}
"""By Unicode's general category: controls and separators of lines, halves of surrogate pairs."""


def one_line(text: str) -> str:
    """A name as one line: what breaks lines or is not printed becomes a space."""
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())
