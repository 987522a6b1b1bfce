"""Light that is written down, where a ray meets what receives it: from a lightmap, turned by where most of it
comes from; or from a probe.
"""

from __future__ import annotations

import math
from typing import Any

from trasloco.rays.compiled import device
from trasloco.render.closures import record
from trasloco.render.textures import lookup
from trasloco.render.values import light_uv_at
from trasloco.scene.harmonics import C0, C1, C2, C3, C4

_LEAST_FACING = 0.1
_MOST_GAIN = 3.0


@device
def turned(share: float, was: float, now: float) -> float:
    """By how much light grows on a surface whose normal is bent, when a ``share`` of it comes from one
    direction and the rest evenly from the half space: cosines to that direction before and after.

    E(n) / E(n0) = 1 - share + share * (n.d) / (n0.d); grazing light is held, since a texel's direction is a
    mean.
    """
    return min(1.0 - share + share * max(now, 0.0) / max(was, _LEAST_FACING), _MOST_GAIN)


@device
def light_written(
    a: Any, triangle: int, part: int, u: float, v: float, behind: bool, s: Any
) -> tuple[float, float, float]:
    """Illuminance rgb in lux at a hit whose record holds the shading normal."""
    nx, ny, nz = s[record.N], s[record.N + 1], s[record.N + 2]
    probe = int(a.received[part, 2])
    if probe >= 0:
        # Real spherical harmonics up to the second degree (Ramamoorthi and Hanrahan 2001).
        c = a.probes[probe]
        r, g, b = 0.0, 0.0, 0.0
        y = (
            C0,
            C1 * ny,
            C1 * nz,
            C1 * nx,
            C2 * nx * ny,
            C2 * ny * nz,
            C3 * (3.0 * nz * nz - 1.0),
            C2 * nx * nz,
            C4 * (nx * nx - ny * ny),
        )
        for k in range(9):
            r, g, b = r + y[k] * c[k, 0], g + y[k] * c[k, 1], b + y[k] * c[k, 2]
        return max(r, 0.0), max(g, 0.0), max(b, 0.0)
    lu, lv = light_uv_at(a, triangle, u, v)
    r, g, b = lookup(a, int(a.received[part, 0]), lu, lv, lu, lv)
    level = a.received[part, 1]
    told = int(a.received[part, 3])
    if told >= 0 and not behind:
        x, y, z = lookup(a, told, lu, lv, lu, lv)
        x, y, z = 2.0 * x - 1.0, 2.0 * y - 1.0, 2.0 * z - 1.0
        share = math.sqrt(x * x + y * y + z * z)
        if share > 0.02:
            i, j, k = a.triangles[triangle, 0], a.triangles[triangle, 1], a.triangles[triangle, 2]
            w = 1.0 - u - v
            ox = w * a.normals[i, 0] + u * a.normals[j, 0] + v * a.normals[k, 0]
            oy = w * a.normals[i, 1] + u * a.normals[j, 1] + v * a.normals[k, 1]
            oz = w * a.normals[i, 2] + u * a.normals[j, 2] + v * a.normals[k, 2]
            length = math.sqrt(ox * ox + oy * oy + oz * oz) + 1e-30
            level *= turned(
                min(share, 1.0),
                (ox * x + oy * y + oz * z) / (length * share),
                (nx * x + ny * y + nz * z) / share,
            )
    return r * level, g * level, b * level
