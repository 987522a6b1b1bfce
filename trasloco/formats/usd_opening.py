"""The program that opens a USD layer before we do: damaged and hostile layers end this process, not ours.

It answers with the files the stage is made of and what did not resolve.
"""

from __future__ import annotations

import numpy as np
from pxr import Usd, UsdGeom

from trasloco.apart import Arrays, serve


def opened(given: Arrays) -> Arrays:
    """``path`` of a layer as UTF-8 bytes to ``used`` and ``missing``, newline-separated UTF-8 bytes."""
    stage = Usd.Stage.Open(given["path"].tobytes().decode())
    for count, prim in enumerate(stage.Traverse()):
        if count > 400_000:
            raise ValueError("there are too many prims")
        if prim.IsA(UsdGeom.Mesh):
            mesh = UsdGeom.Mesh(prim)
            for attribute in (mesh.GetPointsAttr(), mesh.GetFaceVertexCountsAttr(), mesh.GetFaceVertexIndicesAttr()):
                attribute.Get()
            for variable in UsdGeom.PrimvarsAPI(prim).GetPrimvars():
                variable.ComputeFlattened()
        else:
            for attribute in prim.GetAttributes():
                attribute.Get()
    used = "\n".join(layer.realPath for layer in stage.GetUsedLayers() if layer.realPath)
    missing = "\n".join(str(error)[:300].replace("\n", " ") for error in stage.GetCompositionErrors())
    return {"used": np.frombuffer(used.encode(), np.uint8), "missing": np.frombuffer(missing.encode(), np.uint8)}


if __name__ == "__main__":
    serve(opened)
