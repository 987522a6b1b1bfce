"""Readers against files that other libraries wrote, or that are written here by hand from each specification."""

import io
import struct
import zipfile
from unittest import TestCase

import MaterialX as mx
import numpy as np
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.core.reading import RED, read, same_triangles, triangles
from tests.core.test_usd_files import fill_stage, stage_bytes
from tests.making import noise_image
from trasloco.errors import Refused
from trasloco.formats.polygons import Attribute, triangulated
from trasloco.formats.receive import receive, split_delivery
from trasloco.scene.images import pixels


class Ply(TestCase):
    def test_binary_and_ascii_of_another_library_agree(self) -> None:
        ball = trimesh.creation.icosphere(subdivisions=2)
        ball.visual.vertex_colors = np.random.default_rng(1).integers(0, 255, (len(ball.vertices), 4))
        for encoding in ("binary", "ascii"):
            with self.subTest(encoding):
                scene = read(ball__ply=trimesh.exchange.ply.export_ply(ball, encoding=encoding))
                same_triangles(self, triangles(scene), ball.triangles)
                primitive = next(iter(scene.meshes.values())).primitives[0]
                self.assertEqual(len(primitive.positions), len(ball.vertices))
                assert primitive.colors is not None
                np.testing.assert_allclose(
                    np.sort(primitive.colors[:, 0]), np.sort(ball.visual.vertex_colors[:, 0] / 255), atol=1e-6
                )

    def test_big_endian_polygons_and_face_colours(self) -> None:
        head = b"ply\nformat binary_big_endian 1.0\nelement vertex 5\nproperty double x\nproperty double y\nproperty double z\nelement face 2\nproperty list uchar int vertex_indices\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nend_header\n"
        points = struct.pack(">15d", 0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 2, 0, 0)
        faces = struct.pack(">B4i3B", 4, 0, 1, 2, 3, 255, 0, 0) + struct.pack(">B3i3B", 3, 1, 4, 2, 0, 0, 255)
        primitive = next(iter(read(a__ply=head + points + faces).meshes.values())).primitives[0]
        self.assertEqual(len(primitive.indices), 3)
        assert primitive.colors is not None
        self.assertEqual(
            {tuple(c) for c in primitive.colors[primitive.indices[:2]].reshape(-1, 4)}, {(1.0, 0.0, 0.0, 1.0)}
        )
        self.assertEqual({tuple(c) for c in primitive.colors[primitive.indices[2]]}, {(0.0, 0.0, 1.0, 1.0)})

    def test_strips_with_breaks_and_float_colours(self) -> None:
        text = b"ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nproperty float red\nproperty float green\nproperty float blue\nelement tristrips 1\nproperty list int int vertex_indices\nend_header\n0 0 0 .5 0 0\n1 0 0 .5 0 0\n0 1 0 .5 0 0\n1 1 0 .5 0 0\n8 0 1 2 3 -1 2 1 0\n"
        primitive = next(iter(read(a__ply=text).meshes.values())).primitives[0]
        self.assertEqual(len(primitive.indices), 3)
        normal = np.cross(
            *(
                primitive.positions[primitive.indices[:, k]] - primitive.positions[primitive.indices[:, 0]]
                for k in (1, 2)
            )
        )
        np.testing.assert_allclose(np.sign(normal[:, 2]), [1, 1, -1])
        assert primitive.colors is not None
        np.testing.assert_allclose(primitive.colors[0], [0.5, 0, 0, 1])


class Stl(TestCase):
    def test_both_encodings_agree(self) -> None:
        box = trimesh.creation.box((1, 2, 3))
        for encoding in ("stl", "stl_ascii"):
            scene = read(
                box__stl=box.export(file_type=encoding)
                if encoding == "stl"
                else box.export(file_type=encoding).encode()
            )
            same_triangles(self, triangles(scene), box.triangles)
            self.assertEqual(len(next(iter(scene.meshes.values())).primitives[0].positions), 8)

    def test_two_colour_habits(self) -> None:
        facet = struct.pack("<12f", 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1, 0)
        low_red = read(
            a__stl=b"COLOR=\xff\x00\x00\xff".ljust(80)
            + struct.pack("<I", 2)
            + facet
            + struct.pack("<H", 31)
            + facet
            + struct.pack("<H", 0x8000)
        )
        high_red = read(
            a__stl=b"".ljust(80) + struct.pack("<I", 1) + facet + struct.pack("<H", 0x8000 | 31 << 10)
        )
        for scene in (low_red, high_red):
            colors = next(iter(scene.meshes.values())).primitives[0].colors
            assert colors is not None
            np.testing.assert_allclose(colors[:, :3], np.tile([[1, 0, 0]], (len(colors), 1)))


COLLADA = """<?xml version="1.0"?><COLLADA xmlns="{namespace}" version="{version}">
<asset><unit name="inch" meter="0.0254"/><up_axis>Z_UP</up_axis></asset>
<library_images><image id="img"><init_from>{image}</init_from></image></library_images>
<library_effects><effect id="e"><profile_COMMON><newparam sid="s"><surface type="2D"><init_from>img</init_from></surface></newparam><newparam sid="t"><sampler2D>{sampler}</sampler2D></newparam>
<technique sid="c"><phong><diffuse><texture texture="t" texcoord="UV"/></diffuse><shininess><float>50</float></shininess>{alpha}</phong></technique></profile_COMMON></effect></library_effects>
<library_materials><material id="m" name="Leather"><instance_effect url="#e"/></material></library_materials>
<library_geometries><geometry id="g" name="Quad"><mesh>
<source id="p"><float_array id="pa" count="12">0 0 0 1 0 0 1 1 0 0 1 0</float_array><technique_common><accessor source="#pa" count="4" stride="3"><param name="X"/><param name="Y"/><param name="Z"/></accessor></technique_common></source>
<source id="u0"><float_array id="ub" count="2">0 0</float_array><technique_common><accessor source="#ub" count="1" stride="2"><param name="S"/><param name="T"/></accessor></technique_common></source>
<source id="u"><float_array id="ua" count="8">0 0 1 0 1 1 0 1</float_array><technique_common><accessor source="#ua" count="4" stride="2"><param name="S"/><param name="T"/></accessor></technique_common></source>
<vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
<polylist material="sym" count="1"><input semantic="VERTEX" source="#v" offset="0"/><input semantic="TEXCOORD" source="#u0" offset="2" set="0"/><input semantic="TEXCOORD" source="#u" offset="1" set="2"/><vcount>4</vcount><p>0 0 0 1 1 0 2 2 0 3 3 0</p></polylist></mesh></geometry></library_geometries>
<library_nodes><node id="shared" name="Shared"><instance_geometry url="#g">{binding}</instance_geometry></node></library_nodes>
<library_visual_scenes><visual_scene id="vs"><node id="n" name="Door" layer="props iron"><translate sid="t">1 2 3</translate><rotate sid="r">0 0 1 90</rotate><scale>2 2 2</scale><instance_node url="#shared"/></node><node name="Again"><instance_node url="{again}"/></node></visual_scene></library_visual_scenes>
<library_animations><animation><source id="ti"><float_array id="tia" count="2">0 1</float_array><technique_common><accessor source="#tia" count="2" stride="1"><param name="TIME"/></accessor></technique_common></source><source id="to"><float_array id="toa" count="2">0 5</float_array><technique_common><accessor source="#toa" count="2" stride="1"><param name="X"/></accessor></technique_common></source>
<sampler id="sm"><input semantic="INPUT" source="#ti"/><input semantic="OUTPUT" source="#to"/></sampler><channel source="#sm" target="n/t.X"/></animation></library_animations>
<scene><instance_visual_scene url="#vs"/></scene></COLLADA>"""
BINDING = '<bind_material><technique_common><instance_material symbol="sym" target="#m"><bind_vertex_input semantic="UV" input_semantic="TEXCOORD" input_set="2"/></instance_material></technique_common></bind_material>'
VERSIONS = {
    "1.4.1": "http://www.collada.org/2005/11/COLLADASchema",
    "1.5.0": "http://www.collada.org/2008/03/COLLADASchema",
}


def collada(version: str = "1.4.1", alpha: str = "", again: str = "#shared") -> bytes:
    image = "media/red%20one.png" if version == "1.4.1" else "<ref>media/red%20one.png</ref>"
    sampler = "<source>s</source>" if version == "1.4.1" else '<instance_image url="#img"/>'
    return COLLADA.format(
        namespace=VERSIONS[version],
        version=version,
        image=image,
        sampler=sampler,
        alpha=alpha,
        again=again,
        binding=BINDING,
    ).encode()


class Collada(TestCase):
    def test_both_versions_bind_uv_sets_instances_unit_and_axis(self) -> None:
        for version in VERSIONS:
            with self.subTest(version):
                scene = receive({"a.dae": collada(version), "media/red one.png": RED}).scene
                self.assertEqual(
                    (scene.unit_m.value, scene.unit_m.origin, scene.up_axis.value), (0.0254, "file", "Z")
                )
                self.assertEqual(len(scene.parts()), 2)
                self.assertEqual(len(scene.meshes), 1)
                self.assertEqual([part.layers for part in scene.parts()], [("props", "iron"), ()])
                corner = scene.world_matrices()[scene.parts()[0].id] @ [1, 0, 0, 1]
                np.testing.assert_allclose(corner[:3], [1, 4, 3], atol=1e-9)
                material = next(
                    m
                    for m in scene.materials.values()
                    if m.inputs["base_color"].texture is not None
                    and m.inputs["base_color"].texture.uv_set == 1
                )
                self.assertEqual(next(iter(scene.meshes.values())).primitives[0].material, material.id)
                self.assertAlmostEqual(material.inputs["roughness"].factor[0], (2 / 52) ** 0.25)
                self.assertTrue(all(image.usable for image in scene.images.values()))

    def test_animation_of_one_number_becomes_a_channel(self) -> None:
        clip = next(iter(receive({"a.dae": collada(), "media/red one.png": RED}).scene.clips.values()))
        moved = next(c for c in clip.channels if c.path == "translation")
        np.testing.assert_allclose(moved.values, [[0, 2, 3], [5, 2, 3]])

    def test_opaque_modes(self) -> None:
        for alpha, wanted in (
            (
                '<transparent opaque="A_ONE"><color>1 1 1 0.25</color></transparent><transparency><float>1</float></transparency>',
                0.25,
            ),
            (
                '<transparent opaque="RGB_ZERO"><color>0.5 0.5 0.5 1</color></transparent><transparency><float>0.5</float></transparency>',
                0.75,
            ),
            (
                '<transparent opaque="A_ONE"><color>1 1 1 1</color></transparent><transparency><float>1</float></transparency>',
                None,
            ),
        ):
            material = next(
                iter(
                    receive(
                        {"a.dae": collada(alpha=alpha), "media/red one.png": RED}
                    ).scene.materials.values()
                )
            )
            self.assertEqual(material.alpha_mode, "opaque" if wanted is None else "blend")
            if wanted is not None:
                self.assertAlmostEqual(material.inputs["opacity"].factor[0], wanted)

    def test_a_zipped_document_and_a_node_that_contains_itself(self) -> None:
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            archive.writestr("manifest.xml", "<dae_root>./a.dae</dae_root>")
            archive.writestr("a.dae", collada())
            archive.writestr("media/red one.png", RED)
        self.assertEqual(len(receive({"x.zae": packed.getvalue()}).scene.parts()), 2)
        with self.assertRaises(Refused):
            receive({"a.dae": collada(again="#x").replace(b'name="Again"', b'name="Again" id="x"')})

    def test_entities_are_refused(self) -> None:
        with self.assertRaises(Refused) as told:
            read(
                a__dae=b'<?xml version="1.0"?><!DOCTYPE x [<!ENTITY e SYSTEM "file:///etc/passwd">]><COLLADA>&e;</COLLADA>'
            )
        self.assertIn("entities", told.exception.what)


class Libraries(TestCase):
    def library(self) -> bytes:
        document = mx.createDocument()
        graph = document.addNodeGraph("G")
        picture = graph.addNode("image", "wood", "color3")
        picture.addInput("file", "filename").setValueString("red.png")
        picture.getInput("file").setColorSpace("srgb_texture")
        halved = graph.addNode("multiply", "half", "color3")
        halved.addInput("in1", "color3").setNodeName("wood")
        halved.addInput("in2", "color3").setValueString("0.5, 0.5, 0.5")
        mixed = graph.addNode("mix", "mixed", "color3")
        mixed.addInput("fg", "color3").setNodeName("wood")
        mixed.addInput("bg", "color3").setValueString("0, 0, 1")
        mixed.addInput("mix", "float").setValueString("0.25")
        for name, source in (("plain", "half"), ("blended", "mixed")):
            graph.addOutput(f"{name}_out", "color3").setNodeName(source)
            surface = document.addNode("standard_surface", f"S_{name}", "surfaceshader")
            surface.addInput("base", "float").setValueString("1")
            color = surface.addInput("base_color", "color3")
            color.setNodeGraphString("G")
            color.setOutputString(f"{name}_out")
            surface.addInput("metalness", "float").setValueString("1")
            document.addNode("surfacematerial", name, "material").addInput(
                "surfaceshader", "surfaceshader"
            ).setNodeName(f"S_{name}")
        return mx.writeToXmlString(document).encode()

    def test_products_are_reduced_and_mixes_evaluated(self) -> None:
        received = receive({"lib.mtlx": self.library(), "red.png": RED})
        plain, blended = (
            next(m for m in received.scene.materials.values() if m.name == name)
            for name in ("plain", "blended")
        )
        self.assertEqual(plain.inputs["base_color"].factor, (0.5, 0.5, 0.5))
        self.assertEqual(received.scene.images[plain.inputs["base_color"].texture.image].name, "red.png")  # type: ignore[union-attr]
        self.assertEqual(plain.inputs["metalness"].factor, (1.0,))
        texel = pixels(received.scene.images[blended.inputs["base_color"].texture.image])[0, 0] / 65535  # type: ignore[union-attr]
        linear = np.where(texel > 0.04045, ((texel + 0.055) / 1.055) ** 2.4, texel / 12.92)
        np.testing.assert_allclose(linear, [0.25, 0, 0.75], atol=1e-3)
        self.assertTrue(any("evaluated" in f.where for f in received.findings))
        self.assertEqual(len(received.scene.parts()), 2)

    def test_beside_a_model_it_is_offered_by_slot_name(self) -> None:
        received = receive(
            {
                "lib.mtlx": self.library(),
                "red.png": RED,
                "a.obj": b"mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl Plain\nf 1 2 3\n",
                "a.mtl": b"newmtl Plain\nKd 1 0 0\n",
            }
        )
        offer = next(f for f in received.findings if f.kind == "library")
        self.assertEqual([d.target for d in offer.mends[0].decisions], ["material:Plain"])


class Deliveries(TestCase):
    TRIANGLE = b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"

    def test_several_models_are_one_scene_or_one_move_each(self) -> None:
        files = {
            "a/one.obj": self.TRIANGLE,
            "b/two.ply": trimesh.exchange.ply.export_ply(trimesh.creation.box()),
            "notes.txt": b"hello",
        }
        received = receive(files)
        self.assertEqual(len(received.scene.parts()), 2)
        self.assertEqual(len(received.models), 2)
        apart = split_delivery(files)
        self.assertEqual(sorted(apart), ["one", "two"])
        self.assertEqual(sorted(apart["one"]), ["a/one.obj", "notes.txt"])

    def test_units_are_brought_together(self) -> None:
        scene = receive(
            {
                "s.usda": stage_bytes(".usda", fill_stage),
                "media/red.png": RED,
                "a.dae": collada(),
                "media/red one.png": RED,
            }
        ).scene
        box = next(p for p in scene.parts() if p.name == "Box")
        door = next(p for p in scene.parts() if p.name == "Shared")
        unit = float(scene.unit_m.value)
        for part, wanted in ((box, 0.01), (door, 0.0254 * 2)):
            size = np.linalg.norm(scene.world_matrices()[part.id][:3, 0]) * unit
            self.assertAlmostEqual(size, wanted, places=6)

    def test_one_bad_model_among_good_ones_is_a_finding(self) -> None:
        received = receive(
            {"a.obj": self.TRIANGLE, "b.ply": b"ply\nformat ascii 1.0\nelement vertex 9\nend_header\n"}
        )
        self.assertEqual([f.kind for f in received.findings if f.kind == "unreadable"], ["unreadable"])

    def test_same_name_with_different_content_is_kept_apart(self) -> None:
        other = noise_image("x").data
        obj = b"mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl A\nf 1 2 3\nusemtl B\nf 1 2 3\n"
        scene = receive(
            {
                "a.obj": obj,
                "a.mtl": b"newmtl A\nmap_Kd one/skin.png\nnewmtl B\nmap_Kd two/skin.png\n",
                "one/skin.png": RED,
                "two/skin.png": other,
            }
        ).scene
        self.assertEqual(len({i.digest for i in scene.images.values()}), 2)


class Polygons(TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.lists(st.floats(0.3, 2.0), min_size=5, max_size=14))
    def test_a_star_shaped_polygon_keeps_its_area_and_direction(self, radii: list[float]) -> None:
        angle = np.arange(len(radii)) / len(radii) * 2 * np.pi
        points = np.stack([np.cos(angle) * radii, np.sin(angle) * radii, np.zeros(len(radii))], axis=1)
        cut = triangulated(np.array([len(radii)]), Attribute(points, np.arange(len(radii)))).primitive
        corners = cut.positions[cut.indices]
        areas = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 2] / 2
        following = np.roll(points, -1, axis=0)
        wanted = float((points[:, 0] * following[:, 1] - points[:, 1] * following[:, 0]).sum() / 2)
        self.assertEqual(len(areas), len(radii) - 2)
        self.assertAlmostEqual(float(areas.sum()), wanted, places=4)
        self.assertGreater(areas.min(), -1e-6)

    def test_a_dented_quad_is_cut_along_its_dent(self) -> None:
        points = np.array([[0, 0, 0], [2, 0, 0], [0.5, 0.5, 0], [0, 2, 0]], float)
        cut = triangulated(np.array([4]), Attribute(points, np.arange(4))).primitive
        corners = cut.positions[cut.indices]
        self.assertGreater(
            np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 2].min(), 0
        )
