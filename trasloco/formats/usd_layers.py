"""A USD layer in other arrangements: a root above layers for geometry, looks and lights, or one package file."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator, Mapping
from pathlib import Path

from pxr import Sdf

from trasloco.at_rest import Bytes
from trasloco.errors import Refused

_LIGHTS = frozenset({"DistantLight", "SphereLight", "RectLight", "DiskLight", "DomeLight", "CylinderLight"})
_STAGE = (
    "defaultPrim",
    "metersPerUnit",
    "upAxis",
    "timeCodesPerSecond",
    "framesPerSecond",
    "startTimeCode",
    "endTimeCode",
    "customLayerData",
)
"""What a stage is told by its root alone."""


def in_layers(layer: bytes, stem: str) -> dict[str, bytes]:
    """A layer as four: ``stem.usda`` above ``stem-lights``, ``stem-looks`` and ``stem-geometry`` (.usdc).

    Every prim keeps its path; what is stronger comes first.
    """
    with tempfile.TemporaryDirectory() as folder:
        whole = Path(folder) / f"{stem}-geometry.usdc"
        whole.write_bytes(layer)
        geometry = Sdf.Layer.FindOrOpen(str(whole))
        names = [f"{stem}-lights.usdc", f"{stem}-looks.usdc"]
        for name, paths in zip(names, (list(_lights(geometry)), list(_looks(geometry)))):
            other = Sdf.Layer.CreateNew(str(Path(folder) / name))
            for path in paths:
                Sdf.CreatePrimInLayer(other, path)
                Sdf.CopySpec(geometry, path, other, path)
            for path in paths:
                holder = geometry.GetPrimAtPath(path.GetParentPath())
                del holder.nameChildren[path.name]
            other.Save()
        geometry.Save()
        root = Sdf.Layer.CreateNew(str(Path(folder) / f"{stem}.usda"))
        for name in _STAGE:
            if geometry.pseudoRoot.HasInfo(name):
                root.pseudoRoot.SetInfo(name, geometry.pseudoRoot.GetInfo(name))
        root.subLayerPaths[:] = [*(f"./{name}" for name in names), f"./{stem}-geometry.usdc"]
        root.Save()
        del geometry, root
        return {path.name: path.read_bytes() for path in sorted(Path(folder).iterdir())}


def _looks(layer: Sdf.Layer) -> Iterator[Sdf.Path]:
    for root in layer.rootPrims:
        if "Materials" in root.nameChildren:
            yield root.path.AppendChild("Materials")


def _lights(layer: Sdf.Layer) -> Iterator[Sdf.Path]:
    pending = list(layer.rootPrims)
    while pending:
        prim = pending.pop(0)
        if prim.typeName in _LIGHTS:
            yield prim.path
        else:
            pending += list(prim.nameChildren)


def as_usdz(files: Mapping[str, Bytes], layer: str) -> bytes:
    """One package of a layer and everything beside it, by the same paths; the layer comes first.

    Files are stored uncompressed and aligned, as the usdz specification asks.

    Raises:
        Refused: the package cannot be written.
    """
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "package.usdz"
        writer = Sdf.ZipFileWriter.CreateNew(str(out))
        for number, path in enumerate([layer, *sorted(path for path in files if path != layer)]):
            place = Path(folder) / f"{number}{Path(path).suffix}"
            place.write_bytes(files[path])
            if not writer.AddFile(str(place), path):
                raise Refused("A file cannot be put into the package.", path, "Choose another form.")
        writer.Save()
        return out.read_bytes()
