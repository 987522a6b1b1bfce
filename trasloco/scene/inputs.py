"""The material inputs of the neutral scene: one table that every reader, rule and writer consults.

Names follow the OpenPBR Surface and glTF 2.0 specifications. ``default`` is the value of the input when a
material does
not mention it; an input at its default changes nothing.
"""

import math
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class InputSpec:
    """What an input is.

    Attributes:
        name: spelling in code.
        label: spelling on screen.
        channels: 1 for a scalar, 3 for a colour or a vector.
        default: value when absent, length ``channels``, linear.
        color: whether images of it are colour (sRGB encoded at 8 bits) rather than data.
        openpbr: the OpenPBR Surface input it maps to, empty when there is none.
        length: whether it is a length in metres, which follows the scene's unit and scale.
    """

    name: str
    label: str
    channels: int
    default: tuple[float, ...]
    color: bool = False
    openpbr: str = ""
    length: bool = False


_SPECS = (
    InputSpec("base_color", "Base colour", 3, (1.0, 1.0, 1.0), True, "base_color"),
    InputSpec("diffuse_roughness", "Diffuse roughness", 1, (0.0,), False, "base_diffuse_roughness"),
    InputSpec("metalness", "Metalness", 1, (0.0,), False, "base_metalness"),
    InputSpec("roughness", "Roughness", 1, (1.0,), False, "specular_roughness"),
    InputSpec("normal", "Normal", 3, (0.0, 0.0, 1.0), False, "geometry_normal"),
    InputSpec("height", "Height", 1, (0.0,), False, ""),
    InputSpec("occlusion", "Occlusion", 1, (1.0,), False, ""),
    InputSpec("opacity", "Opacity", 1, (1.0,), False, "geometry_opacity"),
    InputSpec("emission", "Emission", 3, (0.0, 0.0, 0.0), True, "emission_color"),
    InputSpec("emission_strength", "Emission strength", 1, (1.0,), False, "emission_luminance"),
    InputSpec("specular", "Specular weight", 1, (1.0,), False, "specular_weight"),
    InputSpec("specular_color", "Specular colour", 3, (1.0, 1.0, 1.0), True, "specular_color"),
    InputSpec("ior", "Index of refraction", 1, (1.5,), False, "specular_ior"),
    InputSpec("clearcoat", "Clear coat", 1, (0.0,), False, "coat_weight"),
    InputSpec("clearcoat_roughness", "Clear coat roughness", 1, (0.0,), False, "coat_roughness"),
    InputSpec("clearcoat_normal", "Clear coat normal", 3, (0.0, 0.0, 1.0), False, "geometry_coat_normal"),
    InputSpec("clearcoat_color", "Clear coat colour", 3, (1.0, 1.0, 1.0), True, "coat_color"),
    InputSpec("clearcoat_darkening", "Clear coat darkening", 1, (0.0,), False, "coat_darkening"),
    InputSpec("sheen_color", "Sheen", 3, (0.0, 0.0, 0.0), True, "fuzz_color"),
    InputSpec("sheen_roughness", "Sheen roughness", 1, (0.0,), False, "fuzz_roughness"),
    InputSpec("transmission", "Transmission", 1, (0.0,), False, "transmission_weight"),
    InputSpec("attenuation_color", "Transmission colour", 3, (1.0, 1.0, 1.0), True, "transmission_color"),
    InputSpec(
        "attenuation_distance", "Transmission depth", 1, (float("inf"),), False, "transmission_depth", True
    ),
    InputSpec("thickness", "Thickness", 1, (0.0,), False, "", True),
    InputSpec("dispersion", "Dispersion", 1, (0.0,), False, "transmission_dispersion_scale"),
    InputSpec("subsurface", "Subsurface", 1, (0.0,), False, "subsurface_weight"),
    InputSpec("subsurface_color", "Subsurface colour", 3, (0.8, 0.8, 0.8), True, "subsurface_color"),
    InputSpec("subsurface_radius", "Subsurface radius", 1, (1.0,), False, "subsurface_radius", True),
    InputSpec("diffuse_transmission", "Light let through", 1, (0.0,), False, ""),
    InputSpec("diffuse_transmission_color", "Colour let through", 3, (1.0, 1.0, 1.0), True, ""),
    InputSpec("anisotropy", "Anisotropy", 1, (0.0,), False, "specular_roughness_anisotropy"),
    InputSpec("anisotropy_rotation", "Anisotropy rotation", 1, (0.0,), False, ""),
    InputSpec("iridescence", "Thin film", 1, (0.0,), False, "thin_film_weight"),
    InputSpec("iridescence_ior", "Thin film IOR", 1, (1.3,), False, "thin_film_ior"),
    InputSpec("iridescence_thickness", "Thin film thickness", 1, (400.0,), False, "thin_film_thickness"),
)


def is_solid(material: Any) -> bool:
    """Whether what is see-through of a material has an inside (a thickness, KHR_materials_volume) or is a
    thin sheet.
    """
    given = material.inputs.get("thickness")
    return given is not None and (given.texture is not None or given.factor[0] > 0)


def absorbs(material: Any) -> bool:
    """Whether light loses colour on its way through: only over a depth that is told and finite
    (KHR_materials_volume).
    """
    depth = material.inputs.get("attenuation_distance")
    return depth is not None and math.isfinite(depth.factor[0])


WHOLE = 0.999
"""Weight from which on a material is all glass."""


INPUTS: dict[str, InputSpec] = {spec.name: spec for spec in _SPECS}
ORDER: dict[str, int] = {spec.name: place for place, spec in enumerate(_SPECS)}
UNDER_THE_SURFACE = frozenset({"subsurface", "subsurface_color", "subsurface_radius"})
LENGTHS = frozenset(name for name, spec in INPUTS.items() if spec.length)
VECTORS = frozenset({"normal", "clearcoat_normal"})
SHARES = frozenset(
    {
        "base_color",
        "metalness",
        "roughness",
        "specular",
        "transmission",
        "clearcoat",
        "clearcoat_roughness",
        "sheen_color",
        "sheen_roughness",
        "iridescence",
        "anisotropy",
        "attenuation_color",
        "diffuse_transmission",
        "diffuse_transmission_color",
        "opacity",
    }
)
"""Inputs whose numbers glTF 2.0 and its extensions hold between 0 and 1 (the extensions' JSON schemas)."""
