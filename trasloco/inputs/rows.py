"""All rows of the table of material inputs, in the order in which inputs are told.

Sources: glTF 2.0 and the ratified Khronos extensions (JSON schemas); OpenPBR Surface 1.1, Standard Surface
1.0.1 and the glTF node, as MaterialX 1.39 defines them; UsdPreviewSurface 2.6; the MTL format with its PBR
extension.
"""

from trasloco.inputs import inside, over, shine, surface
from trasloco.inputs.spec import InputSpec

GROUPS: dict[str, list[InputSpec]] = {
    "The surface": surface.ROWS,
    "Over it": over.ROWS,
    "Under and behind it": inside.ROWS,
    "What bends its highlight": shine.ROWS,
}
"""Rows by what they say of a surface, in words for the screen."""
ROWS: list[InputSpec] = [row for rows in GROUPS.values() for row in rows]
