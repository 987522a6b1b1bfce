"""Libraries that a process with threads loads before it has any: while one of USD's is being loaded, the
loader is held and the interpreter let go, and a thread that loads another library meanwhile waits for ever.
"""

from pxr import Gf, Kind, Sdf, Usd, UsdGeom, UsdLux, UsdShade, UsdSkel, Vt

LOADED = (Gf, Kind, Sdf, Usd, UsdGeom, UsdLux, UsdShade, UsdSkel, Vt)
