"""Files that are odd but mean something: trailing and strange elements, materials of shaders, Phong's
constants, poses with keys and other names.
"""

import base64
import io
import json
from dataclasses import replace
from unittest import TestCase

import numpy as np
from plyfile import PlyData, PlyElement

from tests.core.reading import RED, read
from tests.making import material, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.formats.receive import receive
from trasloco.scene.model import Channel, Clip, Decision, Node, Scene, Skin
from trasloco.scene.transforms import compose
from trasloco.sheets.library import built_in_sheets

PLAIN = built_in_sheets()["plain"]


class Ply(TestCase):
    def written(self, *more: PlyElement, text: bool) -> bytes:
        points = np.array([(0, 0, 0), (1, 0, 0), (0, 1, 0)], [("x", "f4"), ("y", "f4"), ("z", "f4")])
        faces = np.array([([0, 1, 2],)], [("vertex_indices", "O")])
        before = [one for one in more if one.name == "camera"]
        out = io.BytesIO()
        PlyData(
            [
                *before,
                PlyElement.describe(points, "vertex"),
                PlyElement.describe(faces, "face"),
                *(one for one in more if one not in before),
            ],
            text=text,
        ).write(out)
        return out.getvalue()

    def test_strange_elements_before_and_after_the_mesh_stay_behind_and_are_told(self) -> None:
        camera = PlyElement.describe(np.array([(1.0, 2)], [("view_px", "f4"), ("vendor", "i4")]), "camera")
        grid = PlyElement.describe(np.array([([1, 2, 3],), ([],)], [("rows", "O")]), "range_grid")
        for text in (True, False):
            received = receive({"a.ply": self.written(camera, grid, text=text)})
            self.assertEqual(len(next(iter(received.scene.meshes.values())).primitives[0].indices), 1)
            self.assertEqual(
                {f.where.split(" · ")[1] for f in received.findings if f.kind == "unread"}
                & {"camera", "range_grid"},
                {"camera", "range_grid"},
            )

    def test_what_is_cut_short_behind_the_mesh_costs_nothing_and_bytes_after_the_end_are_passed_over(
        self,
    ) -> None:
        grid = PlyElement.describe(np.array([([1, 2, 3],)] * 40, [("rows", "O")]), "range_grid")
        whole = self.written(grid, text=False)
        for data in (
            whole[:-200],
            self.written(text=False) + b"and more",
            self.written(text=True) + b"\n\nthe end\n",
        ):
            self.assertEqual(len(next(iter(read(a__ply=data).meshes.values())).primitives[0].indices), 1)
        with self.assertRaises(Refused):
            read(a__ply=self.written(text=False)[:-4])


def gltf(extension: dict[str, object]) -> bytes:
    """A triangle whose material has one extension, its image and points inside."""
    points = (
        np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes()
        + np.array([[0, 0], [1, 0], [0, 1]], np.float32).tobytes()
    )
    return json.dumps(
        {
            "asset": {"version": "2.0"},
            "extensionsUsed": ["KHR_techniques_webgl"],
            "extensionsRequired": ["KHR_techniques_webgl"],
            "scenes": [{"nodes": [0]}],
            "nodes": [{"mesh": 0}],
            "extensions": {"KHR_techniques_webgl": {"programs": [], "shaders": [], "techniques": [{}]}},
            "meshes": [{"primitives": [{"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "material": 0}]}],
            "materials": [{"name": "Silk", "extensions": extension}],
            "textures": [{"source": 0}],
            "images": [{"uri": "data:image/png;base64," + base64.b64encode(RED).decode()}],
            "accessors": [
                {
                    "bufferView": 0,
                    "componentType": 5126,
                    "count": 3,
                    "type": "VEC3",
                    "min": [0, 0, 0],
                    "max": [1, 1, 0],
                },
                {"bufferView": 1, "componentType": 5126, "count": 3, "type": "VEC2"},
            ],
            "bufferViews": [
                {"buffer": 0, "byteLength": 36},
                {"buffer": 0, "byteOffset": 36, "byteLength": 24},
            ],
            "buffers": [
                {
                    "byteLength": 60,
                    "uri": "data:application/octet-stream;base64," + base64.b64encode(points).decode(),
                }
            ],
        }
    ).encode()


class Techniques(TestCase):
    def test_images_and_numbers_are_taken_by_their_names_and_the_rest_is_told(self) -> None:
        values = {"u_diffuse": {"index": 0}, "u_emission": [0.1, 0.2, 0.3, 1.0], "u_shininess": 12.0}
        received = receive({"a.gltf": gltf({"KHR_techniques_webgl": {"technique": 0, "values": values}})})
        inputs = next(iter(received.scene.materials.values())).inputs
        base = inputs["base_color"].texture
        assert base is not None
        self.assertEqual(
            (base.channels, base.encoding, inputs["emission"].factor, inputs["metalness"].factor),
            ("rgb", "srgb", (0.1, 0.2, 0.3), (0.0,)),
        )
        told = [f for f in received.findings if f.kind == "shader"]
        self.assertEqual(len(told), 1)
        self.assertIn("u_shininess", told[0].consequence)


class Phong(TestCase):
    OBJ = b"mtllib a.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nusemtl paint\nf 1 2 3\n"

    def received(self, lines: str) -> tuple[Scene, list[str]]:
        made = receive({"a.obj": self.OBJ, "a.mtl": f"newmtl paint\n{lines}\n".encode()})
        return made.scene, [f.kind for f in made.findings if f.kind == "phong_shine"]

    def test_black_is_kept_a_strength_is_told_and_pbr_statements_overrule_both(self) -> None:
        matte, told = self.received("Kd .5 .5 .5\nKs 0 0 0")
        self.assertEqual((next(iter(matte.materials.values())).inputs["specular"].factor, told), ((0.0,), []))
        shiny, told = self.received("Kd .5 .5 .5\nKs .4 .4 .4\nNs 30")
        self.assertEqual(
            ("specular" in next(iter(shiny.materials.values())).inputs, told), (False, ["phong_shine"])
        )
        modern, told = self.received("Kd .5 .5 .5\nKs 0 0 0\nPr .3")
        self.assertEqual(("specular" in next(iter(modern.materials.values())).inputs, told), (False, []))


class Poses(TestCase):
    def rigged(self, names: tuple[str, str], clips: dict[str, Clip] | None = None) -> Scene:
        given = scene(quad(), materials=(material(),), names=("Cloth",))
        joints = {
            "part:Root": Node("part:Root", "Root", None, np.eye(4)),
            "part:Elbow": Node("part:Elbow", "Elbow", "part:Root", compose((0, 1, 0))),
        }
        pose = {
            "part:a@2": Node("part:a@2", names[0], None, np.eye(4)),
            "part:b@2": Node("part:b@2", names[1], "part:a@2", compose((0, 2, 0))),
        }
        skin = Skin("skin:s", "s", tuple(joints), np.tile(np.eye(4), (2, 1, 1)))
        return replace(
            given, nodes={**given.nodes, **joints, **pose}, skins={skin.id: skin}, clips=clips or {}
        )

    def elbow(self, given: Scene) -> list[float]:
        return [
            float(v)
            for v in move.mend(given, PLAIN, [Decision("scene", "pose_from", "@2")])
            .nodes["part:Elbow"]
            .matrix[:3, 3]
        ]

    def test_a_space_before_the_name_and_its_case_do_not_matter(self) -> None:
        self.assertEqual(self.elbow(self.rigged(("Puppet:Root", "puppet|ELBOW"))), [0, 2, 0])

    def test_of_a_pose_in_motion_the_first_key_is_taken(self) -> None:
        keyed = Channel(
            "part:b@2",
            "translation",
            np.array([0.5, 1.0], np.float32),
            np.array([[0, 0, 3], [0, 0, 9]], np.float32),
        )
        self.assertEqual(
            self.elbow(self.rigged(("Root", "Elbow"), {"clip:c@2": Clip("clip:c@2", "Pose", (keyed,))})),
            [0, 0, 3],
        )

    def test_other_names_are_refused_in_words(self) -> None:
        with self.assertRaises(Refused) as refused:
            self.elbow(self.rigged(("Hip", "Knee")))
        self.assertIn("Elbow", str(refused.exception.where))
