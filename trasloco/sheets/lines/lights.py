"""Lamps and what surrounds."""

from __future__ import annotations

from trasloco.sheets.lines.line import DESTINATION, Line

LINES = (
    Line(
        "lights.kinds",
        "Lights",
        "Kinds of light",
        "Others are lost or replaced.",
        "several",
        {"sun": "suns", "point": "points", "spot": "spots", "rectangle": "rectangles", "disc": "discs"},
        DESTINATION,
    ),
    Line(
        "lights.most",
        "Lights",
        "How many",
        "The strongest are carried; 0 is no limit.",
        "number",
        {"": "{value} at most", "none": "Any number"},
        DESTINATION,
    ),
    Line(
        "lights.unit",
        "Lights",
        "What a lamp's number is",
        "Read in another unit, a lamp is some ten times too strong or too weak.",
        "choice",
        {
            "candela and lux": "What its file format means by it",
            "lumen and lux": "Lumen, of suns lux, whatever the format means",
            "none": "Not told; set by hand",
        },
        DESTINATION,
    ),
    Line(
        "lights.cone",
        "Lights",
        "The edge of a spot",
        "Where one angle says all, a spot's edge is hard: its light is kept, its softness is not.",
        "choice",
        {"inner and outer": "From an inner angle to an outer one", "outer only": "One angle, hard"},
        DESTINATION,
    ),
    Line(
        "lights.sizes",
        "Lights",
        "How large lights are",
        "Suns that are seen wide and balls of light throw soft shadows; where their size is not taken, shadows arrive with hard edges.",
        "flag",
        {"true": "Taken: shadows are soft", "false": "Not taken: shadows are hard"},
        DESTINATION,
    ),
    Line(
        "lights.shadows",
        "Lights",
        "Lights without shadows",
        "Where it cannot be told, every lamp casts shadows.",
        "flag",
        {"true": "Told lamp by lamp", "false": "Cannot be told: every lamp casts shadows"},
        DESTINATION,
    ),
    Line(
        "lights.environment",
        "Lights",
        "Environment image",
        "Whether it lights by a picture of the sky.",
        "flag",
        {"true": "Taken, with its level and turn", "false": "Not taken"},
        DESTINATION,
    ),
    Line(
        "lights.backdrop",
        "Lights",
        "A backdrop of its own",
        "Whether what stands behind the subject can be another picture than the one that lights it.",
        "flag",
        {"true": "Taken, with its level and turn", "false": "Not taken: what lights is what is seen"},
        DESTINATION,
    ),
)
