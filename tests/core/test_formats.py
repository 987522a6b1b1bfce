"""Readers and writers: small files made by hand, and what comes back."""

import base64
import json
import struct
from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np

from tests.making import material, noise_image, quad, scene
from trasloco.formats.gltf_write import write_glb
from trasloco.formats.receive import receive
from trasloco.scene.lit import Camera, Light
from trasloco.scene.model import Channel, Clip, Input, Mesh, MorphTarget, Node, Skin, Texture
from trasloco.scene.transforms import looking


def gltf(**parts: Any) -> dict[str, Any]:
    """A one-triangle document with whatever else is given; positions and indices lie in a data URI."""
    data = (
        np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
        + np.array([0, 1, 2], np.uint16).tobytes()
        + b"\0\0"
    )
    document: dict[str, Any] = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": "tri"}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3"},
            {"bufferView": 1, "componentType": 5123, "count": 3, "type": "SCALAR"},
        ],
        "bufferViews": [{"buffer": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 6}],
        "buffers": [
            {
                "byteLength": len(data),
                "uri": "data:application/octet-stream;base64," + base64.b64encode(data).decode(),
            }
        ],
    }
    return document | parts


def read(document: dict[str, Any], **files: bytes) -> Any:
    return receive({"a.gltf": json.dumps(document).encode(), **files}).scene


class Gltf(TestCase):
    def test_numbers_beyond_the_format_and_sharp_texels_are_told(self) -> None:
        source = {
            "name": "Lacquer",
            "pbrMetallicRoughness": {"roughnessFactor": -0.5, "baseColorTexture": {"index": 0}},
            "extensions": {"KHR_materials_clearcoat": {"clearcoatFactor": 4}},
        }
        picture = "data:image/png;base64," + base64.b64encode(noise_image("a", 4, 4, 3).data).decode()
        document = gltf(
            materials=[source],
            textures=[{"source": 0, "sampler": 0}],
            samplers=[{"magFilter": 9728}],
            images=[{"uri": picture}],
        )
        received = receive({"a.gltf": json.dumps(document).encode()})
        made = next(iter(received.scene.materials.values()))
        self.assertEqual((made.inputs["clearcoat"].factor, made.inputs["roughness"].factor), ((1.0,), (0.0,)))
        told = {f.kind: f.where for f in received.findings}
        self.assertIn("clear coat 4", told["out_of_range"])
        self.assertIn("sharp_texels", told)

    def test_wide_text_of_obj_is_read(self) -> None:
        text = "v 0 0 0\r\nv 1 0 0\r\nv 0 1 0\r\no Übung\r\nf 1 2 3\r\n"
        for data in (text.encode("utf-16"), b"\xfe\xff" + text.encode("utf-16-be"), text.encode("utf-8-sig")):
            part = receive({"a.obj": data}).scene.parts()[0]
            self.assertEqual(part.name, "Übung")

    def test_embedded_and_separate_and_binary_read_alike(self) -> None:
        embedded = gltf()
        data = base64.b64decode(embedded["buffers"][0]["uri"].split(",")[1])
        separate = gltf(buffers=[{"byteLength": len(data), "uri": "geo%20metry.bin"}])
        text = json.dumps(gltf(buffers=[{"byteLength": len(data)}])).encode()
        text += b" " * (-len(text) % 4)
        binary = (
            struct.pack("<4sII", b"glTF", 2, 28 + len(text) + len(data))
            + struct.pack("<I4s", len(text), b"JSON")
            + text
            + struct.pack("<I4s", len(data), b"BIN\0")
            + data
        )
        for made in (
            read(embedded),
            receive({"x/a.gltf": json.dumps(separate).encode(), "x/geo metry.bin": data}).scene,
            receive({"a.glb": binary}).scene,
        ):
            primitive = next(iter(made.meshes.values())).primitives[0]
            self.assertEqual(primitive.positions.tolist(), [[0, 0, 0], [1, 0, 0], [0, 1, 0]])
            self.assertEqual(primitive.indices.tolist(), [[0, 1, 2]])
            self.assertEqual((made.unit_m.value, made.unit_m.origin, made.up_axis.value), (1.0, "file", "Y"))

    def test_every_material_extension_lands_in_its_input(self) -> None:
        extensions = {
            "KHR_materials_clearcoat": {"clearcoatFactor": 0.5, "clearcoatRoughnessFactor": 0.25},
            "KHR_materials_ior": {"ior": 1.33},
            "KHR_materials_specular": {"specularFactor": 0.3, "specularColorFactor": [1, 0.5, 0.25]},
            "KHR_materials_sheen": {"sheenColorFactor": [0.1, 0.2, 0.3], "sheenRoughnessFactor": 0.6},
            "KHR_materials_transmission": {"transmissionFactor": 0.9},
            "KHR_materials_volume": {
                "thicknessFactor": 0.2,
                "attenuationDistance": 3.0,
                "attenuationColor": [0.9, 0.8, 0.7],
            },
            "KHR_materials_emissive_strength": {"emissiveStrength": 5.0},
            "KHR_materials_anisotropy": {"anisotropyStrength": 0.4, "anisotropyRotation": 0.1},
            "KHR_materials_iridescence": {
                "iridescenceFactor": 0.7,
                "iridescenceIor": 1.4,
                "iridescenceThicknessMaximum": 500,
            },
            "KHR_materials_dispersion": {"dispersion": 0.2},
            "KHR_materials_unlit": {},
            "VENDOR_own": {"kept": 1},
        }
        source = {
            "name": "all",
            "emissiveFactor": [1, 0.5, 0],
            "pbrMetallicRoughness": {
                "baseColorFactor": [0.1, 0.2, 0.3, 0.4],
                "metallicFactor": 0.2,
                "roughnessFactor": 0.3,
            },
            "alphaMode": "BLEND",
            "doubleSided": True,
            "extensions": extensions,
        }
        document = gltf(materials=[source], extensionsUsed=sorted(extensions))
        document["meshes"][0]["primitives"][0]["material"] = 0
        made = read(document).materials["material:all"]
        expected = {
            "base_color": (0.1, 0.2, 0.3),
            "metalness": (0.2,),
            "roughness": (0.3,),
            "opacity": (0.4,),
            "emission": (1, 0.5, 0),
            "emission_strength": (5.0,),
            "clearcoat": (0.5,),
            "clearcoat_roughness": (0.25,),
            "ior": (1.33,),
            "specular": (0.3,),
            "specular_color": (1, 0.5, 0.25),
            "sheen_color": (0.1, 0.2, 0.3),
            "sheen_roughness": (0.6,),
            "transmission": (0.9,),
            "thickness": (0.2,),
            "attenuation_distance": (3.0,),
            "attenuation_color": (0.9, 0.8, 0.7),
            "anisotropy": (0.4,),
            "anisotropy_rotation": (0.1,),
            "iridescence": (0.7,),
            "iridescence_ior": (1.4,),
            "iridescence_thickness": (500,),
            "dispersion": (0.2,),
        }
        self.assertEqual({name: made.inputs[name].factor for name in expected}, expected)
        self.assertTrue(made.unlit and made.double_sided)
        self.assertEqual(
            (made.alpha_mode, made.payload["extensions"]), ("blend", {"VENDOR_own": {"kept": 1}})
        )

    def test_sparse_and_normalised_accessors(self) -> None:
        data = (
            struct.pack("<H", 1)
            + b"\0\0"
            + np.array([[5, 6, 7]], np.float32).tobytes()
            + bytes([255, 0, 51, 255] * 3)
        )
        uri = "data:;base64," + base64.b64encode(data).decode()
        document = gltf()
        document["buffers"].append({"byteLength": len(data), "uri": uri})
        document["bufferViews"] += [
            {"buffer": 1, "byteLength": 2},
            {"buffer": 1, "byteOffset": 4, "byteLength": 12},
            {"buffer": 1, "byteOffset": 16, "byteLength": 12},
        ]
        document["accessors"][0]["sparse"] = {
            "count": 1,
            "indices": {"bufferView": 2, "componentType": 5123},
            "values": {"bufferView": 3},
        }
        document["accessors"].append(
            {"bufferView": 4, "componentType": 5121, "normalized": True, "count": 3, "type": "VEC4"}
        )
        document["meshes"][0]["primitives"][0]["attributes"]["COLOR_0"] = 2
        primitive = next(iter(read(document).meshes.values())).primitives[0]
        self.assertEqual(primitive.positions[1].tolist(), [5, 6, 7])
        np.testing.assert_allclose(primitive.colors[0], [1, 0, 0.2, 1], atol=1e-6)

    def test_strips_and_fans_become_triangles(self) -> None:
        data = np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 1, 0]], np.float32).tobytes()
        for mode, expected in ((5, [[0, 1, 2], [1, 3, 2]]), (6, [[1, 2, 0], [2, 3, 0]])):
            document = gltf(
                accessors=[{"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3"}],
                bufferViews=[{"buffer": 0, "byteLength": 48}],
                buffers=[{"byteLength": 48, "uri": "data:;base64," + base64.b64encode(data).decode()}],
            )
            document["meshes"] = [{"primitives": [{"attributes": {"POSITION": 0}, "mode": mode}]}]
            self.assertEqual(
                next(iter(read(document).meshes.values())).primitives[0].indices.tolist(), expected
            )

    def test_equal_names_get_running_numbers_and_instances_share_their_mesh(self) -> None:
        made = read(
            gltf(
                scenes=[{"nodes": [0, 1]}],
                nodes=[{"mesh": 0, "name": "post"}, {"mesh": 0, "name": "post", "translation": [2, 0, 0]}],
            )
        )
        self.assertEqual(list(made.nodes), ["part:post", "part:post#2"])
        self.assertEqual(len({node.mesh for node in made.nodes.values()}), 1)
        self.assertEqual(made.world_matrices()["part:post#2"][:3, 3].tolist(), [2, 0, 0])

    def test_a_written_scene_reads_back_whole(self) -> None:
        picture = noise_image("t", 8, 8, 4)
        texture = Texture(
            "image:t",
            "rgb",
            "srgb",
            offset=(0.5, 0.25),
            rotation_rad=0.3,
            scale=(2.0, 3.0),
            wrap=("clamp", "mirror"),
        )
        given = material(
            "m",
            "mask",
            True,
            base_color=Input((0.5, 0.6, 0.7), texture, vertex_color=True),
            roughness=(0.4,),
            sheen_color=(0.1, 0.0, 0.2),
            opacity=Input((1.0,), replace(texture, channels="a", encoding="linear")),
        )
        morph = MorphTarget(np.ones((4, 3), np.float32))
        body = replace(
            quad(),
            colors=np.full((4, 4), 0.5, np.float32),
            joints=np.zeros((4, 4), np.uint16),
            weights=np.tile(np.array([[1, 0, 0, 0]], np.float32), (4, 1)),
            morphs=(morph,),
        )
        spot = Light("light:spot", "spot", "spot", (1, 0.5, 0.25), 7.0, 0.2, 0.5)
        whole = scene(
            body,
            materials=(given,),
            images=(picture,),
            names=("body",),
            lights=((spot, looking((0, 3, 0), (0, 0, 1))),),
        )
        nodes = dict(whole.nodes)
        nodes["part:bone"] = Node("part:bone", "bone", None, np.eye(4))
        nodes["part:eye"] = Node("part:eye", "eye", None, looking((0, 1, 3), (0, 0, 0)), camera="camera:eye")
        nodes["part:body"] = replace(nodes["part:body"], skin="skin:s")
        whole = replace(
            whole,
            nodes=nodes,
            cameras={"camera:eye": Camera("camera:eye", "eye", 0.6, 1.5)},
            skins={"skin:s": Skin("skin:s", "s", ("part:bone",), np.eye(4)[None])},
            meshes={"mesh:body": Mesh("mesh:body", "body", (body,), ("smile",))},
            clips={
                "clip:c": Clip(
                    "clip:c",
                    "c",
                    (
                        Channel(
                            "part:bone",
                            "translation",
                            np.array([0, 1], np.float32),
                            np.array([[0, 0, 0], [1, 2, 3]], np.float32),
                        ),
                    ),
                )
            },
        )
        back = receive({"whole.glb": write_glb(whole)}).scene
        self.assertEqual(
            back.materials["material:m"].inputs["base_color"],
            replace(given.inputs["base_color"], texture=replace(texture, image="image:t.png")),
        )
        self.assertEqual(
            (back.materials["material:m"].alpha_mode, back.materials["material:m"].double_sided),
            ("mask", True),
        )
        self.assertEqual(back.images["image:t.png"].data, picture.data)
        primitive = back.meshes["mesh:body"].primitives[0]
        np.testing.assert_array_equal(primitive.positions, body.positions)
        np.testing.assert_array_equal(primitive.colors, body.colors)
        np.testing.assert_array_equal(primitive.morphs[0].positions, morph.positions)
        self.assertEqual(back.meshes["mesh:body"].morph_names, ("smile",))
        self.assertEqual(back.skins["skin:s"].joints, ("part:bone",))
        self.assertEqual(back.clips["clip:c"].channels[0].values.tolist(), [[0, 0, 0], [1, 2, 3]])
        light = back.lights["light:spot"]
        self.assertEqual(
            (light.kind, light.intensity, light.inner_cone_rad, light.outer_cone_rad), ("spot", 7.0, 0.2, 0.5)
        )
        np.testing.assert_allclose(back.world_matrices()["part:eye"], nodes["part:eye"].matrix, atol=1e-6)
