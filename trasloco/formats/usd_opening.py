"""The program that opens a USD layer before we do: damaged and hostile layers end this process, not ours.

It answers with the files the stage is made of, what did not resolve, and what it took out: value clips are
opened by the library whenever a moment is asked for, from anywhere.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np
from pxr import Ar, Sdf, Usd, UsdGeom

from trasloco.own_process import Arrays, serve

_LAYERS = (".usd", ".usda", ".usdc")


def confined(root: Path) -> tuple[list[str], list[str]]:
    """Every layer below ``root`` without value clips; the prims that had some, and whatever any layer, in any
    variant, would bring in from elsewhere.
    """
    clipped: list[str] = []
    outside: list[str] = []
    for place in sorted(path for path in root.rglob("*") if path.suffix.lower() in _LAYERS):
        layer = Sdf.Layer.FindOrOpen(str(place))
        if layer is None:
            continue
        held: list[Sdf.Path] = []
        layer.Traverse(Sdf.Path.absoluteRootPath, held.append)
        for path in held:
            spec = (
                layer.GetPrimAtPath(path) if path.IsPrimPath() or path.IsPrimVariantSelectionPath() else None
            )
            if spec is not None and any(spec.HasInfo(name) for name in ("clips", "clipSets")):
                spec.ClearInfo("clips")
                spec.ClearInfo("clipSets")
                clipped.append(str(path))
        if layer.dirty:
            layer.Save()
        for asset in layer.GetCompositionAssetDependencies():
            found = str(Ar.GetResolver().Resolve(layer.ComputeAbsolutePath(asset))).partition("[")[0]
            if found and not Path(found).resolve().is_relative_to(root):
                outside.append(str(asset))
    return clipped, outside


def opened(given: Arrays) -> Arrays:
    """``path`` of a layer and ``root``, the folder of all that was delivered, as UTF-8 bytes, to ``used``,
    ``missing``, ``clipped`` and ``outside``, newline-separated UTF-8 bytes.
    """
    clipped, outside = confined(Path(given["root"].tobytes().decode()))
    if outside:
        return {"used": _bytes([]), "missing": _bytes([]), "clipped": _bytes([]), "outside": _bytes(outside)}
    stage = Usd.Stage.Open(given["path"].tobytes().decode())
    for count, prim in enumerate(stage.Traverse()):
        if count > 400_000:
            raise ValueError("there are too many prims")
        if prim.IsA(UsdGeom.Mesh):
            mesh = UsdGeom.Mesh(prim)
            for attribute in (
                mesh.GetPointsAttr(),
                mesh.GetFaceVertexCountsAttr(),
                mesh.GetFaceVertexIndicesAttr(),
            ):
                attribute.Get()
            for variable in UsdGeom.PrimvarsAPI(prim).GetPrimvars():
                variable.ComputeFlattened()
        else:
            for attribute in prim.GetAttributes():
                attribute.Get()
    used = [layer.realPath for layer in stage.GetUsedLayers() if layer.realPath]
    missing = [str(error)[:300].replace("\n", " ") for error in stage.GetCompositionErrors()]
    return {
        "used": _bytes(used),
        "missing": _bytes(missing),
        "clipped": _bytes(clipped),
        "outside": _bytes([]),
    }


def _bytes(lines: list[str]) -> np.ndarray:
    return np.frombuffer("\n".join(lines).encode("utf-8", "replace"), np.uint8)


if __name__ == "__main__":
    serve(opened)
