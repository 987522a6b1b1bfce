"""A thin film over a boundary: light that is sent back above it and below it runs together, by colour.

For one wavelength the reflectance of a clear film between two clear media is Airy's sum. With the amplitudes
a and b that its two boundaries send back, q = a b, and a way longer by ``d`` (twice the film's index times
its thickness times the cosine within it), it is, as a series of cosines (the Poisson kernel),

    1 - (1 - a^2)(1 - b^2) / (1 - q^2) x (1 + 2 sum over m >= 1 of (-q)^m cos(2 pi m d / wavelength)),

of which only the cosines depend on the wavelength. Their mean over the spectrum under daylight D65, as linear
Rec.709 sees it, is a table over the longer way (Belcour and Barla 2017, "A practical extension to microfacet
theory for the modeling of varying iridescence", which KHR_materials_iridescence follows with curves fitted to
such a table). White stays white: the mean of a longer way of nothing is 1 in each colour.
"""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt

from trasloco.rays.compiled import device, kernel
from trasloco.render.closures.fresnel import index_for
from trasloco.scene.color import TO_XYZ

OBSERVER = Path(__file__).with_name("observer.csv")
"""CIE 1931 2 degree observer and illuminant D65 (CIE 015), every 5 nm from 380 to 780."""
_STEP_NM, _LONGEST_NM = 5.0, 8000.0
_MOST_TERMS = 64


def seen_shares() -> tuple[npt.NDArray[np.float64], npt.NDArray[np.float64]]:
    """Wavelengths (N) in nm, and how much each counts in red, green and blue of what is lit by D65, (N, 3),
    each colour summing to 1.
    """
    held = np.loadtxt(OBSERVER, delimiter=",", skiprows=1)
    nm = np.arange(held[0, 0], held[-1, 0] + 0.5)
    fine = np.stack([np.interp(nm, held[:, 0], held[:, k]) for k in range(1, 5)], axis=1)
    shares = (fine[:, :3] * fine[:, 3:]) @ np.linalg.inv(TO_XYZ).T
    return nm, shares / shares.sum(axis=0)


def _means() -> npt.NDArray[np.float64]:
    """Mean of cos(2 pi d / wavelength) by colour, for d every :data:`_STEP_NM`, (M, 3)."""
    nm, shares = seen_shares()
    ways = np.arange(0.0, _LONGEST_NM + _STEP_NM, _STEP_NM)
    return np.asarray(np.cos(2 * math.pi * ways[:, None] / nm) @ shares)


_COSINES: Any = _means()


@device
def _amplitudes(c: float, beyond: float, n: float) -> tuple[float, float]:
    """Amplitudes sent back at a boundary, across and along the plane of incidence, by the cosines on either
    side and the index beyond over the one before.
    """
    return (c - n * beyond) / (c + n * beyond), (n * c - beyond) / (n * c + beyond)


@device
def _summed(a: float, b: float, way: float, color: int) -> float:
    """The series for one polarisation and colour."""
    q = a * b
    total, power = 1.0, 1.0
    for m in range(1, _MOST_TERMS):
        power *= -q
        at = m * way / _STEP_NM
        k = int(at)
        if abs(power) < 1e-4 or k >= _COSINES.shape[0] - 1:
            break
        f = at - k
        total += 2.0 * power * ((1.0 - f) * _COSINES[k, color] + f * _COSINES[k + 1, color])
    kept = (1.0 - a * a) * (1.0 - b * b) / max(1.0 - q * q, 1e-9)
    return 1.0 - kept * total


@device
def _one_color(c: float, n1: float, n2: float, n3: float, nm: float, color: int) -> float:
    sine2 = n1 * n1 * (1.0 - c * c)
    if sine2 >= n3 * n3 or sine2 >= n2 * n2:
        return 1.0  # nothing gets through
    in_film, beyond = math.sqrt(1.0 - sine2 / (n2 * n2)), math.sqrt(1.0 - sine2 / (n3 * n3))
    s1, p1 = _amplitudes(c, in_film, n2 / n1)
    s2, p2 = _amplitudes(in_film, beyond, n3 / n2)
    way = 2.0 * n2 * nm * in_film
    both = 0.5 * (_summed(s1, s2, way, color) + _summed(p1, p2, way, color))
    return min(max(both, 0.0), 1.0)  # purer colours than Rec.709 holds are held to it


@kernel
def film_over_clear(cosine: float, eta: float, film: float, nm: float) -> tuple[float, float, float]:
    """Reflectance, rgb, of a film of an index and a thickness in nanometres between air and a clear medium.

    ``eta`` is the index beyond over the index on this side, as for a boundary without a film; ``cosine`` > 0
    on this side. From within the medium (``eta`` below 1) the same film lies on its far side.
    """
    n1, n3 = (1.0, eta) if eta >= 1.0 else (1.0 / eta, 1.0)
    c = min(max(cosine, 1e-4), 1.0)
    return (
        _one_color(c, n1, film, n3, nm, 0),
        _one_color(c, n1, film, n3, nm, 1),
        _one_color(c, n1, film, n3, nm, 2),
    )


@device
def filmed(
    bare: float, weight: float, cosine: float, eta: float, film: float, nm: float
) -> tuple[float, float, float]:
    """Reflectance, rgb, of a boundary of which a film covers a share; ``bare`` without it."""
    r, g, b = film_over_clear(cosine, eta, max(film, 1.0), max(nm, 0.0))
    return bare + weight * (r - bare), bare + weight * (g - bare), bare + weight * (b - bare)


@kernel
def film_over_metal(
    cosine: float, r: float, g: float, b: float, film: float, nm: float
) -> tuple[float, float, float]:
    """Reflectance, rgb, of a film over a metal of a colour straight on; each colour of the metal is a clear
    medium that sends back as much (as KHR_materials_iridescence has it).
    """
    c = min(max(cosine, 1e-4), 1.0)
    return (
        _one_color(c, 1.0, film, index_for(r), nm, 0),
        _one_color(c, 1.0, film, index_for(g), nm, 1),
        _one_color(c, 1.0, film, index_for(b), nm, 2),
    )
