"""The simulated importers, by the layout they read.

A sheet of the artist's own is read by the importer of its layout, under its own rules.
"""

from collections.abc import Callable, Mapping

from trasloco.scene.model import Scene
from trasloco.sheets.model import Layout, Sheet
from trasloco.understudies import fornace, lanterna, taccuino

UNDERSTUDIES: dict[Layout | None, Callable[[Mapping[str, bytes], Sheet], Scene]] = {
    "glb and list": lanterna.import_package,
    "usd and materialx": fornace.import_package,
    "glb": taccuino.import_package,
}
