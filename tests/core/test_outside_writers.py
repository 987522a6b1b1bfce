"""What other programs' libraries write, as our readers read it."""

from __future__ import annotations

import io
from unittest import TestCase

import collada
import numpy as np
import plyfile
import trimesh

from tests.core.reading import triangles
from tests.core.test_outside_judge import PLAIN, alike
from trasloco.formats.collada_transforms import step_matrix
from trasloco.formats.receive import receive
from trasloco.mends.settling import settle
from trasloco.scene.transforms import Y_UP_FROM


class Readers(TestCase):
    def test_ply_in_every_byte_order_as_plyfile_reads_it(self) -> None:
        rng = np.random.default_rng(4)
        for order in ("<", ">", "="):
            for text in (False, True):
                vertex = np.zeros(
                    40,
                    [
                        ("x", "f8"),
                        ("y", "f4"),
                        ("z", "f4"),
                        ("s", "f4"),
                        ("t", "f4"),
                        ("red", "u1"),
                        ("green", "u1"),
                        ("blue", "u1"),
                        ("alpha", "u1"),
                        ("quality", "i2"),
                    ],
                )
                for name in vertex.dtype.names or ():
                    vertex[name] = (
                        rng.integers(0, 255, 40) if vertex[name].dtype.kind in "ui" else rng.normal(size=40)
                    )
                face = np.zeros(30, [("vertex_indices", "O"), ("flags", "u1")])
                face["vertex_indices"] = [rng.choice(40, 3, replace=False).astype("i4") for _ in range(30)]
                written = io.BytesIO()
                elements = [
                    plyfile.PlyElement.describe(vertex, "vertex"),
                    plyfile.PlyElement.describe(
                        face, "face", val_types={"vertex_indices": "i4"}, len_types={"vertex_indices": "u1"}
                    ),
                ]
                plyfile.PlyData(elements, text=text, byte_order=order).write(written)
                with self.subTest(order=order, text=text):
                    told = plyfile.PlyData.read(io.BytesIO(written.getvalue()))
                    points = np.stack([told["vertex"][k] for k in "xyz"], axis=1)
                    wanted = points[np.stack(told["face"]["vertex_indices"])]
                    scene = receive({"a.ply": written.getvalue()}).scene
                    alike(self, triangles(scene), wanted, 1e-4, order)
                    primitive = next(iter(scene.meshes.values())).primitives[0]
                    assert primitive.colors is not None
                    used = np.unique(np.concatenate(told["face"]["vertex_indices"]))
                    self.assertEqual(
                        sorted(np.round(primitive.colors[:, 3] * 255)),
                        sorted(float(a) for a in told["vertex"]["alpha"][used]),
                    )
                    np.testing.assert_allclose(
                        np.sort(primitive.uvs[0][:, 0]), np.sort(told["vertex"]["s"][used]), atol=1e-6
                    )
                    np.testing.assert_allclose(
                        np.sort(1 - primitive.uvs[0][:, 1]), np.sort(told["vertex"]["t"][used]), atol=1e-5
                    )

    def test_collada_that_pycollada_wrote_lies_where_it_says(self) -> None:
        # Not lookat: pycollada puts its rows where COLLADA 1.4.1 (chapter 5) has columns; it has a test of
        # its own below.
        rng = np.random.default_rng(8)
        document = collada.Collada()
        document.assetInfo.unitmeter, document.assetInfo.unitname, document.assetInfo.upaxis = (
            0.01,
            "centimeter",
            "Z_UP",
        )
        effect = collada.material.Effect("e", [], "phong", diffuse=(0.8, 0.2, 0.1, 1.0))
        worn = collada.material.Material("m", "Lacquer", effect)
        document.effects.append(effect)
        document.materials.append(worn)
        points = collada.source.FloatSource("p", rng.normal(size=36), ("X", "Y", "Z"))
        uv = collada.source.FloatSource("u", rng.uniform(size=24), ("S", "T"))
        geometry = collada.geometry.Geometry(document, "g", "Trunk", [points, uv])
        inputs = collada.source.InputList()
        inputs.addInput(0, "VERTEX", "#p")
        inputs.addInput(1, "TEXCOORD", "#u", set="0")
        corners = np.stack(
            [
                rng.permuted(np.tile(np.arange(12), (10, 1)), axis=1)[:, :3].reshape(-1),
                rng.integers(0, 12, 30),
            ],
            axis=1,
        )
        geometry.primitives.append(
            geometry.createTriangleSet(corners.reshape(-1).astype(np.int32), inputs, "worn")
        )
        document.geometries.append(geometry)
        held = collada.scene.GeometryNode(geometry, [collada.scene.MaterialNode("worn", worn, inputs=[])])
        lamp = collada.light.PointLight("l", (1, 0.5, 0.25))
        document.lights.append(lamp)
        inner = collada.scene.Node(
            "n2",
            [held, collada.scene.LightNode(lamp)],
            [collada.scene.RotateTransform(0, 1, 0, 70), collada.scene.ScaleTransform(2, 1, 0.5)],
        )
        outer = collada.scene.Node(
            "n1",
            [inner],
            [collada.scene.TranslateTransform(10, -20, 30), collada.scene.RotateTransform(1, 0, 0, 35)],
        )
        document.scenes.append(
            collada.scene.Scene(
                "s",
                [
                    outer,
                    collada.scene.Node(
                        "n3",
                        [held],
                        [
                            collada.scene.MatrixTransform(
                                np.array([0, -1, 0, 4, 1, 0, 0, 5, 0, 0, -1, 6, 0, 0, 0, 1.0])
                            )
                        ],
                    ),
                ],
            )
        )
        document.scene = document.scenes[0]
        written = io.BytesIO()
        document.write(written)
        told = collada.Collada(io.BytesIO(written.getvalue()))
        wanted = np.concatenate(
            [
                np.stack([t.vertices for t in p])
                for g in told.scene.objects("geometry")
                for p in g.primitives()
            ]
        )
        to_metres = np.asarray(Y_UP_FROM["Z"], float)[:3, :3] * 0.01
        scene = settle(receive({"a.dae": written.getvalue()}).scene, PLAIN, ())
        alike(self, triangles(scene), wanted @ to_metres.T, 1e-4, "collada")
        lamp_at = next(iter(told.scene.objects("light"))).position
        node = next(n for n in scene.nodes.values() if n.light)
        np.testing.assert_allclose(scene.world_matrices()[node.id][:3, 3], to_metres @ lamp_at, atol=1e-5)
        self.assertEqual(len(scene.meshes), 1)

    def test_collada_lookat_places_the_thing_at_the_eye_and_turns_its_back_to_where_it_came_from(
        self,
    ) -> None:
        """COLLADA 1.4.1, chapter 5, lookat: an inverse view, so that -Z points from the eye to the interest
        point.
        """
        made = step_matrix("lookat", np.array([1.0, 2, 3, 4, 6, 3, 0, 0, 1]))
        np.testing.assert_allclose(made @ (0, 0, 0, 1), (1, 2, 3, 1), atol=1e-12)
        np.testing.assert_allclose(made @ (0, 0, -5, 1), (4, 6, 3, 1), atol=1e-12)
        np.testing.assert_allclose(made @ (0, 1, 0, 0), (0, 0, 1, 0), atol=1e-12)

    def test_obj_with_polygons_and_indices_from_the_end_as_trimesh_reads_it(self) -> None:
        text = (
            "\n".join(
                [
                    "o Trunk",
                    *(f"v {x} {y} {z}" for x in (0, 1) for y in (0, 2) for z in (0, 3)),
                    "vt 0 0",
                    "vt 1 0.25",
                    "vt 1 1",
                    "vn 0 0 1",
                    "f 1/1/1 3/2/1 7/3/1",
                    "f -1/-1/-1 -2/-2/-1 -4/-3/-1",
                    "f 1 2 4 3",
                    "f 5//1 6//1 8//1 7//1",
                ]
            )
            + "\n"
        )
        wanted = trimesh.load(io.BytesIO(text.encode()), file_type="obj", process=False, maintain_order=True)
        mesh = wanted if isinstance(wanted, trimesh.Trimesh) else wanted.to_geometry()
        got, told = triangles(receive({"a.obj": text.encode()}).scene), np.asarray(mesh.triangles, float)
        self.assertEqual(len(got), len(told))

        def moments(t: np.ndarray) -> np.ndarray:
            """Area, middle by area and summed area vector: the same however flat polygons were cut."""
            vectors = np.cross(t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]) / 2
            areas = np.linalg.norm(vectors, axis=1)
            return np.concatenate([[areas.sum()], areas @ t.mean(axis=1) / areas.sum(), vectors.sum(axis=0)])

        np.testing.assert_allclose(moments(got), moments(told), atol=1e-5)

    def test_glb_of_another_writer(self) -> None:
        """Nested, mirrored and repeated, with vertex colours: as the writer itself reads it back."""
        made = trimesh.Scene()
        box, ball = trimesh.creation.box((1, 2, 3)), trimesh.creation.icosphere(2)
        box.visual.vertex_colors = np.random.default_rng(2).integers(0, 255, (8, 4)).astype(np.uint8)
        turn = trimesh.transformations.euler_matrix(0.3, -1.0, 2.0)
        turn[:3, 3] = (4, 5, 6)
        made.add_geometry(box, node_name="outer", transform=turn)
        made.add_geometry(
            ball, node_name="inner", parent_node_name="outer", transform=np.diag([1, -1, 2, 1.0])
        )
        made.graph.update(
            "again",
            "inner",
            matrix=trimesh.transformations.translation_matrix((3, 0, 0)),
            geometry=next(name for name, mesh in made.geometry.items() if len(mesh.faces) > 12),
        )
        data = made.export(file_type="glb")
        told = trimesh.load(io.BytesIO(data), file_type="glb", process=False)
        assert isinstance(told, trimesh.Scene)
        wanted = []
        for name in told.graph.nodes_geometry:
            world, geometry = told.graph[name]
            wanted.append(
                (told.geometry[geometry].vertices @ world[:3, :3].T + world[:3, 3])[
                    told.geometry[geometry].faces
                ]
            )
        scene = receive({"a.glb": data}).scene
        alike(self, triangles(scene), np.concatenate(wanted), 1e-4, "glb")
        colors = [p.colors for m in scene.meshes.values() for p in m.primitives if p.colors is not None]
        np.testing.assert_allclose(
            np.sort(np.unique(colors[0][:, 3])),
            np.sort(np.unique(box.visual.vertex_colors[:, 3] / 255)),
            atol=1e-6,
        )
