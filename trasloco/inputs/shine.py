"""What bends a highlight: brushing and thin films."""

from __future__ import annotations

from trasloco.inputs.spec import GLTF_NODE, OPENPBR, STANDARD, InGltf, InMtl, InNames, InNodes, InputSpec

_BRUSHED = "KHR_materials_anisotropy"
_FILM = "KHR_materials_iridescence"

ROWS = [
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
        in_units=True,
        beside="anisotropy",
        drawn="image",
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
        drawn="image",
        gltf=InGltf(_FILM, "iridescenceFactor", "iridescenceTexture", "r"),
        nodes=InNodes("thin_film_weight", gltf="iridescence"),
        names=InNames("iridescence thinfilm"),
    ),
    InputSpec(
        "iridescence_ior",
        "Thin film IOR",
        1,
        (1.3,),
        in_units=True,
        beside="iridescence",
        drawn="image",
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
        in_units=True,
        beside="iridescence",
        drawn="image",
        gltf=InGltf(
            _FILM,
            "iridescenceThicknessMaximum",
            "iridescenceThicknessTexture",
            "g",
            lowest=("iridescenceThicknessMinimum", 100.0),
        ),
        # Nanometres here and in glTF, micrometres in OpenPBR.
        nodes=InNodes(
            "thin_film_thickness",
            "thin_film_thickness",
            "iridescence_thickness",
            assumed={OPENPBR: (500.0,), GLTF_NODE: (100.0,)},
            scale=1e-3,
        ),
    ),
]
