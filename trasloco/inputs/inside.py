"""What is under the surface or behind it: glass, flesh and leaves."""

from __future__ import annotations

from math import inf

from trasloco.inputs.spec import STANDARD, InGltf, InMtl, InNames, InNodes, InputSpec

_WHITE = (1.0, 1.0, 1.0)
_VOLUME = "KHR_materials_volume"
_LEAF = "KHR_materials_diffuse_transmission"

ROWS = [
    InputSpec(
        "transmission",
        "Transmission",
        1,
        (0.0,),
        share=True,
        drawn="image",
        gltf=InGltf("KHR_materials_transmission", "transmissionFactor", "transmissionTexture", "r"),
        nodes=InNodes("transmission_weight", "transmission", "transmission"),
        mtl=InMtl("pt"),
        names=InNames("transmission transmissive transm transmissionweight refraction"),
    ),
    InputSpec(
        "attenuation_color",
        "Transmission colour",
        3,
        _WHITE,
        "color",
        share=True,
        beside="transmission",
        drawn="image",
        gltf=InGltf(_VOLUME, "attenuationColor"),
        nodes=InNodes("transmission_color", "transmission_color", "attenuation_color"),
    ),
    InputSpec(
        "attenuation_distance",
        "Transmission depth",
        1,
        (inf,),
        length=True,
        beside="transmission",
        drawn="image",
        gltf=InGltf(_VOLUME, "attenuationDistance"),
        nodes=InNodes("transmission_depth", "transmission_depth", "attenuation_distance"),
    ),
    InputSpec(
        "thickness",
        "Thickness",
        1,
        (0.0,),
        length=True,
        beside="transmission",
        drawn="number",
        gltf=InGltf(_VOLUME, "thicknessFactor", "thicknessTexture", "g"),
        nodes=InNodes(gltf="thickness", thin="geometry_thin_walled"),
        names=InNames("thickness thick thicknessmap"),
    ),
    InputSpec(
        "dispersion",
        "Dispersion",
        1,
        (0.0,),
        in_units=True,
        beside="transmission",
        drawn="image",
        gltf=InGltf("KHR_materials_dispersion", "dispersion"),
        nodes=InNodes("transmission_dispersion_scale", gltf="dispersion"),
    ),
    InputSpec(
        "subsurface",
        "Subsurface",
        1,
        (0.0,),
        drawn="image",
        nodes=InNodes("subsurface_weight", "subsurface"),
    ),
    InputSpec(
        "subsurface_color",
        "Subsurface colour",
        3,
        (0.8, 0.8, 0.8),
        "color",
        beside="subsurface",
        drawn="image",
        nodes=InNodes("subsurface_color", "subsurface_color", assumed={STANDARD: _WHITE}),
        names=InNames(
            "subsurface sss scatter scattering subsurfacecolor sssmask subsurfacescattering",
            "subsurface",
            "subsurface",
            any=True,
        ),
    ),
    InputSpec(
        "subsurface_radius",
        "Subsurface radius",
        1,
        (1.0,),
        length=True,
        beside="subsurface",
        drawn="image",
        nodes=InNodes("subsurface_radius"),
    ),
    InputSpec(
        "diffuse_transmission",
        "Light let through",
        1,
        (0.0,),
        share=True,
        drawn="image",
        gltf=InGltf(_LEAF, "diffuseTransmissionFactor", "diffuseTransmissionTexture", "a"),
        nodes=InNodes(thin="subsurface_weight"),
    ),
    InputSpec(
        "diffuse_transmission_color",
        "Colour let through",
        3,
        _WHITE,
        "color",
        share=True,
        beside="diffuse_transmission",
        drawn="image",
        gltf=InGltf(_LEAF, "diffuseTransmissionColorFactor", "diffuseTransmissionColorTexture", "rgb"),
        nodes=InNodes(thin="subsurface_color"),
        names=InNames("translucency translucent backlight", "translucency", "light let through", any=True),
    ),
]
