"""A scene as a COLLADA 1.4.1 document with its images beside it: centimetres, Z up, one instance a part,
bound UV sets.
"""

from __future__ import annotations

import io
import zipfile
from typing import Any
from xml.sax.saxutils import escape, quoteattr

import numpy as np

from trasloco.scene.model import Material, Scene

_TO_Z_UP = np.array([[100.0, 0, 0, 0], [0, 0, -100.0, 0], [0, 100.0, 0, 0], [0, 0, 0, 1]])


def _numbers(values: Any) -> str:
    return " ".join(f"{v:.6g}" for v in np.asarray(values, np.float64).ravel())


def _source(id: str, values: Any, names: str) -> str:
    table = np.asarray(values)
    params = "".join(f'<param name="{n}" type="float"/>' for n in names)
    return f'<source id="{id}"><float_array id="{id}-a" count="{table.size}">{_numbers(table)}</float_array><technique_common><accessor source="#{id}-a" count="{len(table)}" stride="{len(names)}">{params}</accessor></technique_common></source>'


def _effect(id: str, material: Material, image_of: dict[str, str]) -> str:
    params: list[str] = []

    def picture(name: str) -> str:
        given = material.inputs.get(name)
        if given is None or given.texture is None:
            return ""
        sid = f"{name}-s"
        params.append(
            f'<newparam sid="{name}-f"><surface type="2D"><init_from>{image_of[given.texture.image]}</init_from></surface></newparam><newparam sid="{sid}"><sampler2D><source>{name}-f</source></sampler2D></newparam>'
        )
        return f'<texture texture="{sid}" texcoord="UV0"/>'

    base, rough = material.inputs["base_color"], material.inputs["roughness"]
    diffuse = picture("base_color") or f"<color>{_numbers(base.factor)} 1</color>"
    exponent = 2 / max(rough.factor[0] if rough.texture is None else 0.5, 0.05) ** 4 - 2
    emission = material.inputs.get("emission")
    glow = (
        f"<emission><color>{_numbers(emission.factor)} 1</color></emission>"
        if emission is not None and emission.texture is None
        else ""
    )
    cut = (
        f'<transparent opaque="A_ONE">{picture("opacity")}</transparent><transparency><float>1</float></transparency>'
        if material.alpha_mode == "mask"
        else ""
    )
    bump = picture("normal")
    extra = (
        f'<extra><technique profile="COMMON"><bump bumptype="NORMALMAP">{bump}</bump></technique></extra>'
        if bump
        else ""
    )
    sides = (
        '<extra><technique profile="COMMON"><double_sided>1</double_sided></technique></extra>'
        if material.double_sided
        else ""
    )
    return f'<effect id="{id}"><profile_COMMON>{"".join(params)}<technique sid="common"><phong>{glow}<diffuse>{diffuse}</diffuse><shininess><float>{exponent:.4g}</float></shininess>{cut}</phong>{extra}</technique>{sides}</profile_COMMON></effect>'


def collada_zip(scene: Scene) -> bytes:
    """The document and its images in a ``media`` folder, zipped."""
    used = {i.texture.image for m in scene.materials.values() for i in m.inputs.values() if i.texture}
    image_of = {id: f"image{k}" for k, id in enumerate(sorted(used))}
    material_of = {id: f"material{k}" for k, id in enumerate(scene.materials)}
    images = "".join(
        f'<image id="{key}"><init_from>media/{escape(scene.images[id].name)}</init_from></image>'
        for id, key in image_of.items()
    )
    effects = "".join(_effect(f"{material_of[m.id]}-e", m, image_of) for m in scene.materials.values())
    materials = "".join(
        f'<material id="{material_of[m.id]}" name={quoteattr(m.name)}><instance_effect url="#{material_of[m.id]}-e"/></material>'
        for m in scene.materials.values()
    )
    geometries, nodes = [], []
    world = scene.world_matrices()
    for k, part in enumerate(scene.parts()):
        sources, faces, bound = [], [], []
        for n, p in enumerate(scene.meshes[part.mesh or ""].primitives):
            key = f"g{k}p{n}"
            rows = [("VERTEX", f"{key}-v", "")]
            sources.append(
                _source(f"{key}-x", p.positions, "XYZ")
                + f'<vertices id="{key}-v"><input semantic="POSITION" source="#{key}-x"/></vertices>'
            )
            if p.normals is not None:
                sources.append(_source(f"{key}-n", p.normals, "XYZ"))
                rows.append(("NORMAL", f"{key}-n", ""))
            if p.uvs:
                sources.append(
                    _source(f"{key}-t", np.stack([p.uvs[0][:, 0], 1 - p.uvs[0][:, 1]], axis=1), "ST")
                )
                rows.append(("TEXCOORD", f"{key}-t", ' set="0"'))
            if p.colors is not None:
                sources.append(_source(f"{key}-c", p.colors[:, :3], "RGB"))
                rows.append(("COLOR", f"{key}-c", ""))
            inputs = "".join(
                f'<input semantic="{s}" source="#{source}" offset="0"{more}/>' for s, source, more in rows
            )
            faces.append(
                f'<triangles material="s{n}" count="{len(p.indices)}">{inputs}<p>{" ".join(map(str, p.indices.ravel().tolist()))}</p></triangles>'
            )
            if p.material:
                bound.append(
                    f'<instance_material symbol="s{n}" target="#{material_of[p.material]}"><bind_vertex_input semantic="UV0" input_semantic="TEXCOORD" input_set="0"/></instance_material>'
                )
        # COLLADA wants every source and vertices element before the faces.
        geometries.append(
            f'<geometry id="g{k}" name={quoteattr(part.name)}><mesh>{"".join(sources)}{"".join(faces)}</mesh></geometry>'
        )
        binding = f"<bind_material><technique_common>{''.join(bound)}</technique_common></bind_material>"
        nodes.append(
            f'<node id="n{k}" name={quoteattr(part.name)}><matrix sid="m">{_numbers(_TO_Z_UP @ world[part.id])}</matrix><instance_geometry url="#g{k}">{binding}</instance_geometry></node>'
        )
    cameras = []
    for k, node in enumerate(n for n in scene.nodes.values() if n.camera):
        camera = scene.cameras[node.camera or ""]
        cameras.append(
            f'<camera id="c{k}" name={quoteattr(camera.name)}><optics><technique_common><perspective><yfov>{np.degrees(camera.yfov_rad):.5g}</yfov><znear>1</znear><zfar>10000</zfar></perspective></technique_common></optics></camera>'
        )
        place = _TO_Z_UP @ world[node.id]
        place[:3, :3] /= 100
        nodes.append(
            f'<node id="cn{k}" name={quoteattr(camera.name)}><matrix sid="m">{_numbers(place)}</matrix><instance_camera url="#c{k}"/></node>'
        )
    body = (
        '<asset><created>1988-04-02T09:00:00Z</created><modified>1988-04-02T09:00:00Z</modified><unit name="centimeter" meter="0.01"/><up_axis>Z_UP</up_axis></asset>'
        f"<library_cameras>{''.join(cameras)}</library_cameras><library_images>{images}</library_images><library_effects>{effects}</library_effects><library_materials>{materials}</library_materials>"
        f'<library_geometries>{"".join(geometries)}</library_geometries><library_visual_scenes><visual_scene id="stage">{"".join(nodes)}</visual_scene></library_visual_scenes><scene><instance_visual_scene url="#stage"/></scene>'
    )
    text = f'<?xml version="1.0" encoding="utf-8"?><COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">{body}</COLLADA>'
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr(
            zipfile.ZipInfo("teatrino.dae", (1988, 4, 2, 9, 0, 0)), text.encode(), zipfile.ZIP_DEFLATED, 3
        )
        for id in image_of:
            archive.writestr(
                zipfile.ZipInfo(f"media/{scene.images[id].name}", (1988, 4, 2, 9, 0, 0)),
                scene.images[id].data,
                zipfile.ZIP_STORED,
            )
    return out.getvalue()
