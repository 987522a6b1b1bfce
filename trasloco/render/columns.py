"""Names for the columns of rows that kernels read: materials, lamps and the camera."""

from __future__ import annotations

from typing import Any

import numpy as np

from trasloco.inputs.table import DRAWN_IMAGES


def _columns(first: int, count: int) -> tuple[Any, ...]:
    """Numbers of columns.

    Of NumPy's kind, since kernels are compiled anew for every Python constant that is passed on, which takes
    minutes.
    """
    return tuple(np.int64(first + k) for k in range(count))


# A material: three numbers for each input that has images, in the order of the table of inputs, then
# flags.
COLUMN = dict(zip(DRAWN_IMAGES, _columns(0, len(DRAWN_IMAGES)), strict=True))
BASE, METAL, ROUGH = COLUMN["base_color"], COLUMN["metalness"], COLUMN["roughness"]
NORMAL, OPACITY, EMISSION = COLUMN["normal"], COLUMN["opacity"], COLUMN["emission"]
SPECULAR, SPECULAR_COLOR = COLUMN["specular"], COLUMN["specular_color"]
COAT, COAT_ROUGH, COAT_NORMAL = (
    COLUMN["clearcoat"],
    COLUMN["clearcoat_roughness"],
    COLUMN["clearcoat_normal"],
)
SHEEN, SHEEN_ROUGH = COLUMN["sheen_color"], COLUMN["sheen_roughness"]
TRANSMISSION, ANISOTROPY = COLUMN["transmission"], COLUMN["anisotropy"]
SUBSURFACE, SUBSURFACE_COLOR = COLUMN["subsurface"], COLUMN["subsurface_color"]
TRANSLUCENT, TRANSLUCENT_COLOR = COLUMN["diffuse_transmission"], COLUMN["diffuse_transmission_color"]
IOR, DULL_ROUGH, RADIUS = COLUMN["ior"], COLUMN["diffuse_roughness"], COLUMN["subsurface_radius"]
COAT_COLOR, COAT_DARKENING = COLUMN["clearcoat_color"], COLUMN["clearcoat_darkening"]
LEFT, LEFT_AFTER = COLUMN["attenuation_color"], COLUMN["attenuation_distance"]
SCATTERED, SCATTERED_ON = COLUMN["transmission_scatter"], COLUMN["transmission_scatter_anisotropy"]
DISPERSION = COLUMN["dispersion"]
TURN = COLUMN["anisotropy_rotation"]
FILM, FILM_INDEX, FILM_NM = COLUMN["iridescence"], COLUMN["iridescence_ior"], COLUMN["iridescence_thickness"]

NUMBERS = 3 * len(DRAWN_IMAGES)
ALPHA_MODE, CUTOFF, TWO_SIDED, UNLIT, BACK, VERTEX_COLOR, SOLID, PLAIN = _columns(NUMBERS, 8)
MATERIAL_COLUMNS = NUMBERS + 8

# A lamp (17 numbers): what it is, where it stands and looks, its coloured strength, the cosines of a spot's
# cone, whether it casts shadows, the cosine of
# half the angle a sun is seen at, and the layers that its light is kept in when it comes straight and after
# bounces; the radius of the ball that a spot is.
KIND, PLACE, LOOKS, POWER, COS_INNER, COS_OUTER, SHADOWS, COS_RADIUS, LAYER, LATER_LAYER, SIZE = (
    0,
    1,
    4,
    7,
    10,
    11,
    12,
    13,
    14,
    15,
    16,
)
LAMP_COLUMNS = 17
SUN, POINT, SPOT = 0.0, 1.0, 2.0

# The camera (18 numbers): its eye, the picture's half sides to the right and up, the way forward, the lens's
# radius and the distance in focus in metres, the
# pixel filter's radius in pixels, the number of the set of random numbers, whether it is a preview, and
# whether paths start under texels instead.
EYE, RIGHT, UP, FORWARD, LENS, FOCUS, FILTER, SET, PREVIEW, UNDER_TEXELS = 0, 3, 6, 9, 12, 13, 14, 15, 16, 17
