"""The simulated importers, by the name of their sheet."""

from collections.abc import Callable, Mapping

from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet
from trasloco.understudies import fornace, lanterna, taccuino

UNDERSTUDIES: dict[str, Callable[[Mapping[str, bytes], Sheet], Scene]] = {"Lanterna": lanterna.import_package, "Fornace": fornace.import_package, "Taccuino": taccuino.import_package}
