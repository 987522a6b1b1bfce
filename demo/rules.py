"""A sample whose materials are drawn by rule: stage boards out of noise, a checkered cloth, a soap bubble
and a beetle's wing under thin films. A bare GLB, and a MaterialX document with the names of its slots.
"""

from __future__ import annotations

import io
import zipfile

import numpy as np

from demo.shapes import Shape, ball, surface
from trasloco.formats.gltf_write import write_glb
from trasloco.scene.model import Input, Material, Mesh, Node, Primitive, Scene
from trasloco.scene.tangent_frames import tangents

DOCUMENT = """<?xml version="1.0"?>
<materialx version="1.39" colorspace="lin_rec709">
  <texcoord name="uv" type="vector2"/>

  <place2d name="along" type="vector2">
    <input name="texcoord" type="vector2" nodename="uv"/>
    <input name="scale" type="vector2" value="0.02,0.45"/>
  </place2d>
  <fractal2d name="grain" type="float">
    <input name="texcoord" type="vector2" nodename="along"/>
    <input name="amplitude" type="float" value="0.45"/>
    <input name="octaves" type="integer" value="4"/>
  </fractal2d>
  <add name="grey" type="float">
    <input name="in1" type="float" nodename="grain"/>
    <input name="in2" type="float" value="0.5"/>
  </add>
  <clamp name="share" type="float">
    <input name="in" type="float" nodename="grey"/>
  </clamp>
  <mix name="wood" type="color3">
    <input name="fg" type="color3" value="0.42,0.24,0.11"/>
    <input name="bg" type="color3" value="0.17,0.085,0.035"/>
    <input name="mix" type="float" nodename="share"/>
  </mix>
  <remap name="worn" type="float">
    <input name="in" type="float" nodename="share"/>
    <input name="outlow" type="float" value="0.35"/>
    <input name="outhigh" type="float" value="0.7"/>
  </remap>
  <open_pbr_surface name="boards" type="surfaceshader">
    <input name="base_color" type="color3" nodename="wood"/>
    <input name="specular_roughness" type="float" nodename="worn"/>
  </open_pbr_surface>
  <surfacematerial name="Boards" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="boards"/>
  </surfacematerial>

  <checkerboard name="checks" type="color3">
    <input name="color1" type="color3" value="0.55,0.05,0.07"/>
    <input name="color2" type="color3" value="0.75,0.68,0.52"/>
    <input name="uvtiling" type="vector2" value="9,6"/>
  </checkerboard>
  <open_pbr_surface name="cloth" type="surfaceshader">
    <input name="base_color" type="color3" nodename="checks"/>
    <input name="specular_roughness" type="float" value="0.9"/>
    <input name="fuzz_weight" type="float" value="0.6"/>
    <input name="fuzz_roughness" type="float" value="0.5"/>
  </open_pbr_surface>
  <surfacematerial name="Checkered cloth" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="cloth"/>
  </surfacematerial>

  <ramptb name="thick" type="float">
    <input name="texcoord" type="vector2" nodename="uv"/>
    <input name="valuet" type="float" value="0.25"/>
    <input name="valueb" type="float" value="1.0"/>
  </ramptb>
  <multiply name="micrometres" type="float">
    <input name="in1" type="float" nodename="thick"/>
    <input name="in2" type="float" value="0.8"/>
  </multiply>
  <open_pbr_surface name="bubble" type="surfaceshader">
    <input name="transmission_weight" type="float" value="1.0"/>
    <input name="specular_roughness" type="float" value="0.0"/>
    <input name="specular_ior" type="float" value="1.1"/>
    <input name="geometry_thin_walled" type="boolean" value="true"/>
    <input name="thin_film_weight" type="float" value="1.0"/>
    <input name="thin_film_ior" type="float" value="1.33"/>
    <input name="thin_film_thickness" type="float" nodename="micrometres"/>
  </open_pbr_surface>
  <surfacematerial name="Soap" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="bubble"/>
  </surfacematerial>

  <open_pbr_surface name="wing" type="surfaceshader">
    <input name="base_color" type="color3" value="0.01,0.012,0.01"/>
    <input name="specular_roughness" type="float" value="0.18"/>
    <input name="thin_film_weight" type="float" value="1.0"/>
    <input name="thin_film_ior" type="float" value="2.0"/>
    <input name="thin_film_thickness" type="float" value="0.29"/>
  </open_pbr_surface>
  <surfacematerial name="Beetle wing" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="wing"/>
  </surfacematerial>
</materialx>
"""


def _plans() -> list[tuple[str, str, Shape]]:
    """Name, slot and shape of each part; metres, Y up."""
    floor = surface(2, 2, lambda u, v: np.stack([2.4 * u - 1.2, 0 * u, 2.4 * v - 1.2], -1))
    cloth = surface(
        40,
        24,
        lambda u, v: np.stack([1.8 * u - 0.9, 1.12 - 1.1 * v, -0.7 + 0.06 * np.sin(14 * u) * v], -1),
    )
    return [
        ("Floor", "Boards", floor),
        ("Back cloth", "Checkered cloth", cloth),
        ("Bubble", "Soap", ball(0.26).moved(-0.42, 0.3, 0.1)),
        ("Beetle", "Beetle wing", ball(0.22).scaled(1.0, 0.62, 1.35).moved(0.42, 0.14, 0.15)),
    ]


def rules_zip() -> bytes:
    """The delivery: geometry with bare slots, and the document beside it."""
    nodes, meshes, materials = {}, {}, {}
    for name, slot, shape in _plans():
        positions, normals = shape.positions.astype(np.float32), shape.normals.astype(np.float32)
        uvs, triangles = shape.uvs.astype(np.float32), shape.triangles.astype(np.uint32)
        primitive = Primitive(
            positions,
            triangles,
            normals,
            tangents(positions, normals, uvs, triangles),
            (uvs,),
            material=f"material:{slot}",
        )
        nodes[f"part:{name}"] = Node(f"part:{name}", name, None, np.eye(4), mesh=f"mesh:{name}")
        meshes[f"mesh:{name}"] = Mesh(f"mesh:{name}", name, (primitive,))
        materials[f"material:{slot}"] = Material(
            f"material:{slot}",
            slot,
            {"base_color": Input((0.5, 0.5, 0.5))},
            double_sided=slot != "Beetle wing",
        )
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, data in (
            ("bubble.glb", write_glb(Scene("Bubble", nodes, meshes, materials))),
            ("bubble.mtlx", DOCUMENT.encode()),
        ):
            archive.writestr(zipfile.ZipInfo(name, (2020, 1, 1, 0, 0, 0)), data)
    return out.getvalue()
