"""A person's own shelf: a material of any move as a MaterialX document with its images beside it. It is the
one form in which a material is kept, comes from elsewhere, goes out, and joins another delivery.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from trasloco import move as verbs
from trasloco.at_rest import Bytes
from trasloco.errors import Refused
from trasloco.fit.naming import slug
from trasloco.formats.assembling import OWN_SHELF
from trasloco.formats.bundle import Bundle, bundle_files
from trasloco.formats.receive import kind_of, read_one
from trasloco.results.acts import making
from trasloco.results.alone import only
from trasloco.results.route import Route
from trasloco.results.samples import material_sample
from trasloco.results.store import Store
from trasloco.scene.model import Decision, Material, Scene
from trasloco.sheets.library import sheet_named
from trasloco.sheets.model import Sheet

_SHEET = "fornace"
"""The sheet whose packages hold MaterialX in full."""
_LAYERS = (".usd", ".usda", ".usdc")
MOST_BYTES = 256 * 2**20
"""What may be brought at once."""
Files = Mapping[str, Bytes]


def document_of(scene: Scene, material: str, source: Sheet, name: str) -> dict[str, Bytes]:
    """Files of a material under a name: a MaterialX document and its images.

    Raises:
        Refused: there is no such material, or it cannot be written.
    """
    if material not in scene.materials:
        raise Refused("There is no such material.", material, "Reload the page.")
    alone = only(scene, material)
    alone = alone.with_material(replace(alone.materials[material], name=name))
    sheet = sheet_named(_SHEET)
    written = verbs.package(verbs.carry(alone, verbs.plan(alone, source, sheet, []), sheet), sheet).files
    return {path: data for path, data in written.items() if not path.endswith(_LAYERS)}


def kept_of(route: Route, material: str, name: str) -> dict[str, Bytes]:
    """Files of a material of a move as it is now. Raises Refused: there is no such material."""
    return document_of(route.reference(), material, route.source, name)


def brought(files: Files) -> list[tuple[str, dict[str, Bytes]]]:
    """Name and files of every material in MaterialX documents, or in archives of them, from elsewhere.

    Raises:
        Refused: there is no document in it, or one cannot be read.
    """
    bundle = bundle_files(files)
    paths = [path for path, data in bundle.files.items() if kind_of(path, data) == "library"]
    if not paths:
        raise Refused(
            "There is no MaterialX document in it.",
            ", ".join(files)[:200],
            "Give a .mtlx file with its images, or a zip of them.",
        )
    found = []
    for path in paths:
        scene = _library(path, bundle)
        for material in scene.materials.values():
            name = material.name.replace("_", " ")
            found.append((name, document_of(scene, material.id, sheet_named("plain"), name)))
    return found


def _library(path: str, bundle: Bundle) -> Scene:
    """The materials of a document."""
    scene = read_one(path, bundle)
    assert scene is not None, path
    return scene


def _read(files: Files) -> tuple[Scene, Material]:
    path = next(path for path in files if path.endswith(".mtlx"))
    scene = _library(path, Bundle(dict(files)))
    return scene, next(iter(scene.materials.values()))


def kept_sample(store: Store, files: Files, side: int) -> bytes:
    """A picture of a kept material."""
    scene, material = _read(files)
    return material_sample(store, scene, material, side)


def joining(name: str, files: Mapping[str, str]) -> dict[str, str]:
    """Paths in a delivery of what a kept material consists of."""
    return {f"{OWN_SHELF}{slug(name)}/{path}": blob for path, blob in files.items()}


def _arrived(route: Route, paths: Sequence[str]) -> str:
    """The id of a kept material that joined the delivery. Raises Refused: it is not there."""
    document = next((path for path in paths if path.endswith(".mtlx")), "")
    found = next((id for id in route.received().scene.materials if id.endswith(f"@{document}")), None)
    if found is None:
        raise Refused("The kept material did not arrive.", document, "Put it on again.")
    return found


def put_on_slot(route: Route, paths: Sequence[str], slot: str) -> list[Decision]:
    """A kept material that joined the delivery, in the place of a slot's own look.

    Raises:
        Refused: there is no such slot.
    """
    if slot not in route.reference().materials:
        raise Refused("There is no such material.", slot, "Reload the page.")
    return [Decision(slot, "use_material", _arrived(route, paths))]


def made_of(
    route: Route, paths: Sequence[str], name: str, on: Sequence[str], faces: Mapping[str, Sequence[int]]
) -> list[Decision]:
    """A new material that starts as a kept one that joined the delivery, and whoever wears it.

    Raises:
        Refused: a material of that name is there.
    """
    return making(route, name, None, None, on, faces, look=_arrived(route, paths))
