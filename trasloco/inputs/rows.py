"""All rows of the table of material inputs, in the order in which inputs are told.

Sources: glTF 2.0 and the ratified Khronos extensions (JSON schemas); OpenPBR Surface 1.1, Standard Surface
1.0.1 and the glTF node, as MaterialX 1.39 defines them; UsdPreviewSurface 2.6; the MTL format with its PBR
extension.
"""

from trasloco.inputs import inside, over, shine, surface
from trasloco.inputs.spec import InputSpec

ROWS: list[InputSpec] = [*surface.ROWS, *over.ROWS, *inside.ROWS, *shine.ROWS]
