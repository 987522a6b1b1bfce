"""What the boundary of a surface's base sends back at a facet, with the film that may lie on it."""

from __future__ import annotations

from typing import Any

from trasloco.rays.compiled import device, kernel
from trasloco.render.closures import record
from trasloco.render.closures.film import film_over_metal, filmed
from trasloco.render.closures.fresnel import dielectric, f82
from trasloco.render.closures.ggx import hidden, sample_half

_FACETS = 12
"""Facets whose mean says what a film leaves to what lies below."""


@device
def boundary(s: Any, oh: float) -> tuple[float, float, float]:
    """What the base's boundary sends back at a facet, rgb, with the film that may lie on it."""
    bare = dielectric(oh, s[record.ETA])
    if s[record.FILM] > 0.0:
        return filmed(bare, s[record.FILM], oh, s[record.ETA], s[record.FILM_INDEX], s[record.FILM_NM])
    return bare, bare, bare


@device
def metal_boundary(s: Any, oh: float) -> tuple[float, float, float]:
    """What the metal beside it sends back at a facet, rgb."""
    fr, fg, fb = (
        f82(s[record.COLOR], s[record.TINT], oh),
        f82(s[record.COLOR + 1], s[record.TINT + 1], oh),
        f82(s[record.COLOR + 2], s[record.TINT + 2], oh),
    )
    if s[record.FILM] > 0.0:
        ir, ig, ib = film_over_metal(
            oh,
            s[record.COLOR],
            s[record.COLOR + 1],
            s[record.COLOR + 2],
            s[record.FILM_INDEX],
            s[record.FILM_NM],
        )
        fr, fg, fb = (
            fr + s[record.FILM] * (ir - fr),
            fg + s[record.FILM] * (ig - fg),
            fb + s[record.FILM] * (ib - fb),
        )
    return fr, fg, fb


@kernel
def leave_under(s: Any, lx: float, ly: float, lz: float, ed: float, eta: float) -> None:
    """What lies below a film gets by colour: its boundary sends back as much more than a bare one as facets
    that are seen do in the mean.
    """
    bare, r, g, b = 0.0, 0.0, 0.0, 0.0
    a = hidden(lx, ly, lz, s[record.ROUGH_X], s[record.ROUGH_Y])
    for m in range(_FACETS):
        around, outward = (0.5 + 0.618034 * m) % 1.0, (m + 0.5) / _FACETS
        hx, hy, hz = sample_half(lx, ly, lz, s[record.ROUGH_X], s[record.ROUGH_Y], around, outward)
        c = max(lx * hx + ly * hy + lz * hz, 1e-4)
        one = dielectric(c, eta)
        ix, iy, iz = 2.0 * c * hx - lx, 2.0 * c * hy - ly, 2.0 * c * hz - lz
        if iz <= 0.0:
            continue
        seen = (1.0 + a) / (1.0 + a + hidden(ix, iy, iz, s[record.ROUGH_X], s[record.ROUGH_Y]))
        fr, fg, fb = filmed(one, s[record.FILM], c, eta, s[record.FILM_INDEX], s[record.FILM_NM])
        bare, r, g, b = bare + seen * one, r + seen * fr, g + seen * fg, b + seen * fb
    for k, film in enumerate((r, g, b)):
        sent = min(ed * film / max(bare, 1e-9), 1.0)
        s[record.UNDER + k] = (1.0 - sent) / max(1.0 - ed, 1e-6)
