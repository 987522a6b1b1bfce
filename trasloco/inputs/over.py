"""What lies over the surface: clear coat and sheen."""

from __future__ import annotations

from trasloco.inputs.spec import OPENPBR, PREVIEW, STANDARD, InGltf, InMtl, InNames, InNodes, InputSpec

_WHITE = (1.0, 1.0, 1.0)
_BLACK = (0.0, 0.0, 0.0)
_UP = (0.0, 0.0, 1.0)
_COAT = "KHR_materials_clearcoat"
_SHEEN = "KHR_materials_sheen"

ROWS = [
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
        drawn="image",
        nodes=InNodes("coat_color"),
    ),
    InputSpec(
        "clearcoat_darkening",
        "Clear coat darkening",
        1,
        (0.0,),
        beside="clearcoat",
        drawn="image",
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
]
