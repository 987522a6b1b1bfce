"""Identifiers that USD and MaterialX accept: letters, digits and underscores, not starting with a digit."""

from __future__ import annotations

import re
import unicodedata


def identifier(name: str, taken: set[str]) -> str:
    """A valid identifier close to the name, not yet in ``taken`` (ignoring case); it is added there."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode()
    base = re.sub(r"[^A-Za-z0-9_]+", "_", plain).strip("_") or "unnamed"
    if base[0].isdigit():
        base = "_" + base
    made, number = base, 1
    while made.lower() in taken:
        number += 1
        made = f"{base}_{number}"
    taken.add(made.lower())
    return made
