"""A USD layer, or several, and a MaterialX document, images beside them; or all in one package."""

from __future__ import annotations

from collections.abc import Callable

from trasloco.at_rest import Bytes
from trasloco.destinations.layouts.holders import without_holders
from trasloco.destinations.layouts.layout import Files, Layout, geometry_path
from trasloco.fit.model import Carried
from trasloco.fit.naming import slug
from trasloco.formats.bundle import Bundle
from trasloco.formats.materialx_write import write_materialx
from trasloco.formats.usd_layers import as_usdz, in_layers
from trasloco.formats.usd_read import read_usd
from trasloco.formats.usd_write import Ways, write_usd
from trasloco.mends.settling import settle
from trasloco.scene.images import Image
from trasloco.scene.model import Scene
from trasloco.sheets.layouts import form_of
from trasloco.sheets.model import Sheet


def _write(carried: Carried, scene: Scene, sheet: Sheet) -> dict[str, Bytes]:
    held = layers_of(scene, sheet, networks=True)
    return held if form_of(sheet) == "usdz" else {**held, "materials.mtlx": write_materialx(scene).encode()}


def layers_of(scene: Scene, sheet: Sheet, networks: bool) -> dict[str, Bytes]:
    """The layer or layers of a scene, in the form that a sheet asks for."""
    shapes, preview = sheet.structure.obstacles == "shapes", sheet.package.networks != "alone"
    ways = Ways(networks, preview, _in_lumens(sheet), shapes)
    told, form, stem = sheet.conventions, form_of(sheet), slug(scene.name)
    layer = f"{stem}.{form if form in ('usdc', 'usda') else 'usdc'}"
    data = write_usd(scene, *told.in_files, layer, ways)
    return {**in_layers(data, stem)} if form == "usd layers" else {layer: data}


def _in_lumens(sheet: Sheet) -> bool:
    return sheet.lights.unit == "lumen and lux"


def sealed(files: dict[str, Bytes], sheet: Sheet) -> dict[str, Bytes]:
    """All files in one package, where a sheet asks for that."""
    if form_of(sheet) != "usdz":
        return files
    layer = geometry_path(files, ".usdc")
    return {layer.removesuffix(".usdc") + ".usdz": as_usdz(files, layer)}


def read_layers(files: Files, sheet: Sheet, takes: Callable[[Image], bool]) -> Scene:
    """The scene that a layer, the root of several, or a package says."""
    endings = {"usd layers": (".usda",), "usdz": (".usdz",)}
    layer = geometry_path(files, *endings.get(form_of(sheet), (".usdc", ".usda", ".usd")))
    return without_holders(settle(read_usd(layer, Bundle(dict(files)), _in_lumens(sheet))[0], sheet, []))


LAYOUT = Layout("usd and materialx", _write, read_layers, sealed=sealed)
