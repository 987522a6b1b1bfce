"""The surface itself: colour, metal, roughness, relief, see-through, light of its own, reflectance."""

from __future__ import annotations

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

_WHITE = (1.0, 1.0, 1.0)
_BLACK = (0.0, 0.0, 0.0)
_UP = (0.0, 0.0, 1.0)
_SPECULAR = "KHR_materials_specular"

ROWS = [
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
        mtl=InMtl("kd", ("map_kd",), "image"),
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
        drawn="image",
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
        mtl=InMtl("pr", ("map_pr",), "number"),
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
        mtl=InMtl("d", ("map_d",), "image"),
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
        in_units=True,
        drawn="image",
        gltf=InGltf("KHR_materials_ior", "ior"),
        nodes=InNodes("specular_ior", "specular_IOR", "ior", "ior"),
        mtl=InMtl("ni", classic="number"),
    ),
]
