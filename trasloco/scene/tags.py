"""Tags of parts as plain values: how formats that can hold them do, under one key of ours."""

from __future__ import annotations

from typing import Any

from trasloco.scene.model import Tags

KEY = "trasloco"
COLLISIONS = ("none", "box", "hull", "pieces", "mesh")


def tags_json(tags: Tags) -> dict[str, Any]:
    """Only what is said."""
    said: dict[str, Any] = {
        "surface": tags.surface,
        "collision": tags.collision,
        "still": tags.still,
        "casts_shadow": tags.casts_shadow,
    }
    return {key: value for key, value in said.items() if value not in ("", None)}


def tags_of(value: Any) -> Tags:
    """Tags from plain values; whatever is not one is passed over."""
    if not isinstance(value, dict):
        return Tags()
    surface, collision, still, shadow = (
        value.get(key) for key in ("surface", "collision", "still", "casts_shadow")
    )
    return Tags(
        surface if isinstance(surface, str) else "",
        collision if collision in COLLISIONS else "",
        still if isinstance(still, bool) else None,
        shadow if isinstance(shadow, bool) else None,
    )


def tags_words(tags: Tags) -> str:
    """``surface wood, collides as a hull, still, casts no shadow``; empty when nothing is said."""
    words = [f"surface {tags.surface}"] if tags.surface else []
    if tags.collision:
        words.append(
            {
                "none": "no obstacle",
                "box": "collides as a box",
                "hull": "collides as a hull",
                "pieces": "collides as a hull for each piece",
                "mesh": "collides as it is",
            }[tags.collision]
        )
    if tags.still is not None:
        words.append("still" if tags.still else "moves")
    if tags.casts_shadow is not None:
        words.append("casts shadows" if tags.casts_shadow else "casts no shadow")
    return ", ".join(words)
