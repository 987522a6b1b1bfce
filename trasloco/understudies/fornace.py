"""Fornace's importer: OpenUSD with MaterialX networks; both sides always, vertex colours ignored unless wired."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from trasloco.formats.bundle import Bundle
from trasloco.formats.usd_read import read_usd
from trasloco.inventory.conventions import settle
from trasloco.scene.model import Scene
from trasloco.sheets.model import Sheet


def import_package(files: Mapping[str, bytes], sheet: Sheet) -> Scene:
    """What Fornace makes of the files."""
    layer = next(path for path in files if path.endswith((".usdc", ".usda", ".usd")))
    scene = settle(read_usd(layer, Bundle(dict(files)))[0], sheet, [])
    known = {*sheet.materials.inputs, *(name for one in sheet.materials.sets for name in one.channels.values())}
    materials = {id: replace(m, double_sided=m.double_sided or sheet.materials.two_sided == "always", inputs={k: replace(i, vertex_color=False) for k, i in m.inputs.items() if k in known}) for id, m in scene.materials.items()}
    return replace(scene, materials=materials)
