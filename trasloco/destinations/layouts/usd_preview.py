"""USD with preview surfaces alone: one layer, a root above several, or one package, images beside or in it."""

from __future__ import annotations

from trasloco.at_rest import Bytes
from trasloco.destinations.layouts.layout import Layout
from trasloco.destinations.layouts.usd_and_materialx import layers_of, read_layers, sealed
from trasloco.fit.model import Carried
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet


def _write(carried: Carried, scene: Scene, sheet: Sheet) -> dict[str, Bytes]:
    return layers_of(scene, sheet, networks=False)


LAYOUT = Layout("usd preview", _write, read_layers, sealed=sealed)
