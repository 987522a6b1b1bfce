"""Light that was written down."""

from __future__ import annotations

from trasloco.light_codes.codes import LIGHT_CODES
from trasloco.sheets.lines.line import DESTINATION, Line

LINES = (
    Line(
        "lightmaps.taken",
        "Lightmaps",
        "Light written down",
        "Whether still parts can bring the light they receive along in images.",
        "flag",
        {"true": "Taken, on a UV set of its own", "false": "Not taken: all light is computed there"},
        DESTINATION,
    ),
    Line(
        "lightmaps.encoding",
        "Lightmaps",
        "How light is stored",
        "Half floats keep all of it; RGBM keeps most at half the memory; 8 bits show steps in the dark.",
        "choice",
        {name: code.words for name, code in LIGHT_CODES.items()},
        DESTINATION,
        {name: code.sign for name, code in LIGHT_CODES.items()},
    ),
    Line(
        "lightmaps.packing",
        "Lightmaps",
        "Parts in an image",
        "One image a part costs borders and changes of image; together, one part cannot change alone.",
        "choice",
        {"together": "Many parts in few images", "one a part": "Every part has an image of its own"},
        DESTINATION,
    ),
    Line(
        "lightmaps.largest",
        "Lightmaps",
        "Largest lightmap",
        "Its longest side, a power of two.",
        "number",
        {"": "At most {value} texels a side"},
        DESTINATION,
    ),
    Line(
        "lightmaps.budget_mib",
        "Lightmaps",
        "Memory for lightmaps",
        "Texels are shared out so that all of them stay within it.",
        "number",
        {"": "{value} MiB in all"},
        DESTINATION,
    ),
    Line(
        "lightmaps.compressed",
        "Lightmaps",
        "Compressed in blocks",
        "A quarter of the memory, some steps and blocks in smooth light.",
        "flag",
        {"true": "Compressed (KTX2)", "false": "Not compressed"},
        DESTINATION,
    ),
    Line(
        "lightmaps.direction",
        "Lightmaps",
        "Where light comes from",
        "Without it relief vanishes on what is lit by images: every bump has the same light.",
        "flag",
        {
            "true": "An image beside each lightmap says it",
            "false": "Not told: light is the same for every bump",
        },
        DESTINATION,
    ),
    Line(
        "lightmaps.probes",
        "Lightmaps",
        "Light for what moves",
        "Parts that move cannot have lightmaps; where light is written down at places they pass, they fit in.",
        "flag",
        {"true": "From light written down at places", "false": "By the lamps that travel, as they are"},
        DESTINATION,
    ),
)
