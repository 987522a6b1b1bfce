"""Identifiers that USD and MaterialX accept: letters, digits and underscores, not starting with a digit."""

from __future__ import annotations

import json
import re
import unicodedata
from typing import Any


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


CUSTOM_NAME = "trasloco:name"
"""Attribute that keeps a name as it was, where an identifier cannot."""


def uv_name(uv_set: int) -> str:
    """Primvar of a UV set."""
    return "st" if uv_set == 0 else f"st{uv_set}"


EXTRAS = "custom_properties"
"""Key of custom data that holds custom properties as JSON."""
VARIANTS = "trasloco:variants"
MESH_NAME = "trasloco:mesh"
JOINTS = "trasloco:joints"
"""Relationship of a skeleton to the prims that are its joints, where they lie in the tree as well."""
CLIPS = "trasloco:clips"
"""Layer data: the clips that follow each other on the stage's one timeline."""
LAYER_PREFIX = "layer"


def own_words(data: Any) -> dict[str, Any]:
    """Custom properties out of a prim's custom data, as a payload; empty when there are none."""
    try:
        extras = json.loads(str(data[EXTRAS])) if EXTRAS in data else None
    except ValueError:
        extras = None
    return {"extras": extras} if extras else {}
