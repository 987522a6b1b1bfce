"""The table of material inputs, a row each. Names follow OpenPBR Surface and glTF 2.0.

Sources of a row: glTF 2.0 and the ratified Khronos extensions (JSON schemas); OpenPBR Surface 1.1, Standard
Surface 1.0.1 and the glTF node, as MaterialX 1.39 defines them; UsdPreviewSurface 2.6; the MTL format with
its PBR extension.
"""

from __future__ import annotations

from math import inf

from trasloco.inputs.spec import (
    GLTF_NODE,
    OPENPBR,
    PBR,
    PREVIEW,
    STANDARD,
    InGltf,
    InMtl,
    InNames,
    InNodes,
    InputSpec,
)

_WHITE, _BLACK, _UP = (1.0, 1.0, 1.0), (0.0, 0.0, 0.0), (0.0, 0.0, 1.0)
_SPECULAR, _COAT, _SHEEN = "KHR_materials_specular", "KHR_materials_clearcoat", "KHR_materials_sheen"
_VOLUME, _LEAF = "KHR_materials_volume", "KHR_materials_diffuse_transmission"
_BRUSHED, _FILM = "KHR_materials_anisotropy", "KHR_materials_iridescence"

_ROWS = (
    InputSpec(
        "base_color",
        "Base colour",
        3,
        _WHITE,
        "color",
        share=True,
        drawn="image",
        gltf=InGltf(PBR, "baseColorFactor", "baseColorTexture", "rgb"),
        nodes=InNodes(
            "base_color",
            "base_color",
            "base_color",
            "diffuseColor",
            weights={OPENPBR: "base_weight", STANDARD: "base"},
            assumed={OPENPBR: (0.8, 0.8, 0.8), STANDARD: (0.8, 0.8, 0.8), PREVIEW: (0.18, 0.18, 0.18)},
        ),
        mtl=InMtl("kd", ("map_kd",)),
        names=InNames(
            "basecolor basecolour basecol base bcol bc color colour col clr albedo alb diffuse diff dif"
            " diffusecolor diffusecolour albedocolor"
        ),
    ),
    InputSpec(
        "diffuse_roughness",
        "Diffuse roughness",
        1,
        (0.0,),
        drawn="number",
        nodes=InNodes("base_diffuse_roughness"),
    ),
    InputSpec(
        "metalness",
        "Metalness",
        1,
        (0.0,),
        share=True,
        drawn="image",
        gltf=InGltf(PBR, "metallicFactor", "metallicRoughnessTexture", "b", (1.0,)),
        nodes=InNodes("base_metalness", "metalness", "metallic", "metallic", assumed={GLTF_NODE: (1.0,)}),
        mtl=InMtl("pm", ("map_pm",)),
        names=InNames(
            "metalness metallic metallicity metal metallness metalic metl met mtl mtlc metallicmask"
        ),
    ),
    InputSpec(
        "roughness",
        "Roughness",
        1,
        (1.0,),
        share=True,
        drawn="image",
        gltf=InGltf(PBR, "roughnessFactor", "metallicRoughnessTexture", "g"),
        nodes=InNodes(
            "specular_roughness",
            "specular_roughness",
            "roughness",
            "roughness",
            assumed={OPENPBR: (0.3,), STANDARD: (0.2,), PREVIEW: (0.5,)},
        ),
        mtl=InMtl("pr", ("map_pr",)),
        names=InNames("roughness rough rgh rou rghness specularroughness"),
    ),
    InputSpec(
        "normal",
        "Normal",
        3,
        _UP,
        "vector",
        drawn="image",
        gltf=InGltf("", "", "normalTexture", "rgb"),
        nodes=InNodes("geometry_normal", "normal", "normal", "normal"),
        mtl=InMtl("", ("norm", "map_kn")),
        names=InNames(
            "normal normals normalmap nor nrm norm nrml nml nmap tangentnormal tangentspacenormal tsn"
            " normaltangent"
        ),
    ),
    InputSpec(
        "height",
        "Height",
        1,
        (0.0,),
        drawn="through",
        nodes=InNodes(preview="displacement"),
        mtl=InMtl("", ("map_bump", "bump")),
        names=InNames(
            "height heights heightmap hgt hght displacement displace disp dsp displ bump bumpmap bmp parallax"
            " relief"
        ),
    ),
    InputSpec(
        "occlusion",
        "Occlusion",
        1,
        (1.0,),
        gltf=InGltf("", "", "occlusionTexture", "r"),
        nodes=InNodes(gltf="occlusion", preview="occlusion"),
        mtl=InMtl("", ("map_ao", "map_ka")),
        names=InNames("occlusion ao ambientocclusion ambientocc ambocc occ occl aomap"),
    ),
    InputSpec(
        "opacity",
        "Opacity",
        1,
        (1.0,),
        share=True,
        drawn="image",
        gltf=InGltf(PBR, "baseColorFactor", "baseColorTexture", "a"),
        nodes=InNodes("geometry_opacity", "opacity", "alpha", "opacity"),
        mtl=InMtl("d", ("map_d",)),
        names=InNames("opacity opac alpha alphamask cutout opacitymask"),
    ),
    InputSpec(
        "emission",
        "Emission",
        3,
        _BLACK,
        "color",
        drawn="image",
        gltf=InGltf("", "emissiveFactor", "emissiveTexture", "rgb"),
        nodes=InNodes("emission_color", "emission_color", "emissive", "emissiveColor"),
        mtl=InMtl("ke", ("map_ke",)),
        names=InNames(
            "emission emissive emit emis emm emissioncolor emissivecolor glow selfillumination selfillum"
            " incandescence luminance"
        ),
    ),
    InputSpec(
        "emission_strength",
        "Emission strength",
        1,
        (1.0,),
        beside="emission",
        drawn="through",
        gltf=InGltf("KHR_materials_emissive_strength", "emissiveStrength"),
        nodes=InNodes("emission_luminance", "emission", "emissive_strength"),
    ),
    InputSpec(
        "specular",
        "Specular weight",
        1,
        (1.0,),
        share=True,
        drawn="image",
        gltf=InGltf(_SPECULAR, "specularFactor", "specularTexture", "a"),
        nodes=InNodes("specular_weight", "specular", "specular"),
        names=InNames(
            "specularlevel speclevel specularweight specularintensity reflectance",
            "specular_level",
            "specular level",
        ),
    ),
    InputSpec(
        "specular_color",
        "Specular colour",
        3,
        _WHITE,
        "color",
        drawn="image",
        gltf=InGltf(_SPECULAR, "specularColorFactor", "specularColorTexture", "rgb"),
        nodes=InNodes("specular_color", "specular_color", "specular_color", "specularColor"),
        names=InNames(
            "specular spec spc specularcolor specularcolour speccol speccolor reflection",
            "specular",
            "specular",
            any=True,
        ),
    ),
    InputSpec(
        "ior",
        "Index of refraction",
        1,
        (1.5,),
        drawn="number",
        gltf=InGltf("KHR_materials_ior", "ior"),
        nodes=InNodes("specular_ior", "specular_IOR", "ior", "ior"),
        mtl=InMtl("ni"),
    ),
    InputSpec(
        "clearcoat",
        "Clear coat",
        1,
        (0.0,),
        share=True,
        drawn="image",
        gltf=InGltf(_COAT, "clearcoatFactor", "clearcoatTexture", "r"),
        nodes=InNodes("coat_weight", "coat", "clearcoat", "clearcoat"),
        mtl=InMtl("pc", ("map_pc",)),
        names=InNames("clearcoat coat coatweight clearcoatweight clearcoatmask ccoat"),
    ),
    InputSpec(
        "clearcoat_roughness",
        "Clear coat roughness",
        1,
        (0.0,),
        share=True,
        beside="clearcoat",
        drawn="image",
        gltf=InGltf(_COAT, "clearcoatRoughnessFactor", "clearcoatRoughnessTexture", "g"),
        nodes=InNodes(
            "coat_roughness",
            "coat_roughness",
            "clearcoat_roughness",
            "clearcoatRoughness",
            assumed={STANDARD: (0.1,), PREVIEW: (0.01,)},
        ),
        mtl=InMtl("pcr", ("map_pcr",)),
        names=InNames("clearcoatroughness coatroughness clearcoatrough coatrough ccrough"),
    ),
    InputSpec(
        "clearcoat_normal",
        "Clear coat normal",
        3,
        _UP,
        "vector",
        beside="clearcoat",
        drawn="image",
        gltf=InGltf(_COAT, "", "clearcoatNormalTexture", "rgb"),
        nodes=InNodes("geometry_coat_normal", "coat_normal", "clearcoat_normal"),
        names=InNames("clearcoatnormal coatnormal"),
    ),
    InputSpec(
        "clearcoat_color",
        "Clear coat colour",
        3,
        _WHITE,
        "color",
        beside="clearcoat",
        drawn="number",
        nodes=InNodes("coat_color"),
    ),
    InputSpec(
        "clearcoat_darkening",
        "Clear coat darkening",
        1,
        (0.0,),
        beside="clearcoat",
        drawn="number",
        nodes=InNodes("coat_darkening", assumed={OPENPBR: (1.0,)}),
    ),
    InputSpec(
        "sheen_color",
        "Sheen",
        3,
        _BLACK,
        "color",
        share=True,
        drawn="image",
        gltf=InGltf(_SHEEN, "sheenColorFactor", "sheenColorTexture", "rgb"),
        nodes=InNodes(
            "fuzz_color",
            "sheen_color",
            "sheen_color",
            weights={OPENPBR: "fuzz_weight", STANDARD: "sheen"},
        ),
        mtl=InMtl("ps", ("map_ps",)),
        names=InNames("sheen sheencolor sheencolour fuzz fuzzcolor", "sheen", any=True),
    ),
    InputSpec(
        "sheen_roughness",
        "Sheen roughness",
        1,
        (0.0,),
        share=True,
        beside="sheen_color",
        drawn="image",
        gltf=InGltf(_SHEEN, "sheenRoughnessFactor", "sheenRoughnessTexture", "a"),
        nodes=InNodes(
            "fuzz_roughness",
            "sheen_roughness",
            "sheen_roughness",
            assumed={OPENPBR: (0.5,), STANDARD: (0.3,)},
        ),
        names=InNames("sheenroughness fuzzroughness sheenrough"),
    ),
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
        drawn="number",
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
        drawn="number",
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
        beside="transmission",
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
        drawn="number",
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
    InputSpec(
        "anisotropy",
        "Anisotropy",
        1,
        (0.0,),
        share=True,
        drawn="image",
        # Red and green hold a direction: along the tangent (1, 0), as without an image.
        gltf=InGltf(_BRUSHED, "anisotropyStrength", "anisotropyTexture", "b", fill={"r": 1.0, "g": 0.5}),
        nodes=InNodes("specular_roughness_anisotropy", "specular_anisotropy", "anisotropy_strength"),
        mtl=InMtl("aniso"),
        names=InNames("anisotropy aniso anisotropic anisotropylevel"),
    ),
    InputSpec(
        "anisotropy_rotation",
        "Anisotropy rotation",
        1,
        (0.0,),
        beside="anisotropy",
        drawn="number",
        gltf=InGltf(_BRUSHED, "anisotropyRotation"),
        nodes=InNodes("", "specular_rotation", "anisotropy_rotation"),
        names=InNames("anisotropyrotation anisotropyangle anisoangle anisorotation"),
    ),
    InputSpec(
        "iridescence",
        "Thin film",
        1,
        (0.0,),
        share=True,
        gltf=InGltf(_FILM, "iridescenceFactor", "iridescenceTexture", "r"),
        nodes=InNodes("thin_film_weight", gltf="iridescence"),
        names=InNames("iridescence thinfilm"),
    ),
    InputSpec(
        "iridescence_ior",
        "Thin film IOR",
        1,
        (1.3,),
        beside="iridescence",
        gltf=InGltf(_FILM, "iridescenceIor"),
        nodes=InNodes(
            "thin_film_ior", "thin_film_IOR", "iridescence_ior", assumed={OPENPBR: (1.4,), STANDARD: (1.5,)}
        ),
    ),
    InputSpec(
        "iridescence_thickness",
        "Thin film thickness",
        1,
        (400.0,),
        beside="iridescence",
        gltf=InGltf(_FILM, "iridescenceThicknessMaximum", "iridescenceThicknessTexture", "g"),
        # Nanometres here and in glTF, micrometres in OpenPBR.
        nodes=InNodes(
            "thin_film_thickness",
            "thin_film_thickness",
            "iridescence_thickness",
            assumed={OPENPBR: (500.0,), GLTF_NODE: (100.0,)},
            scale=1e-3,
        ),
    ),
)

INPUTS: dict[str, InputSpec] = {row.name: row for row in _ROWS}
ORDER: dict[str, int] = {name: place for place, name in enumerate(INPUTS)}
LENGTHS = frozenset(name for name, row in INPUTS.items() if row.length)
VECTORS = frozenset(name for name, row in INPUTS.items() if row.holds == "vector")
SHARES = frozenset(name for name, row in INPUTS.items() if row.share)
DRAWN_IMAGES = tuple(name for name, row in INPUTS.items() if row.drawn == "image")
DRAWN = frozenset(name for name, row in INPUTS.items() if row.drawn)
"""Inputs that the renderer shows; the loss of any other is told, but cannot be measured."""


def company_of(name: str) -> tuple[str, ...]:
    """Inputs that only say more about one."""
    return tuple(other for other, row in INPUTS.items() if row.beside == name)


UNDER_THE_SURFACE = frozenset({"subsurface", *company_of("subsurface")})
