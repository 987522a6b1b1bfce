"""OBJ with MTL."""

from __future__ import annotations

from unittest import TestCase

import numpy as np

from tests.making import cube, image, noise_image, scene
from trasloco.formats.gltf_write import write_glb
from trasloco.formats.receive import receive
from trasloco.scene.model import BYTE_COLORS

OBJ = b"""mtllib t.mtl
o Box
v 0 0 0 1.0 0.5 0.25
v 100 0 0 1.0 0.5 0.25
v 100 100 0 1.0 0.5 0.25
v 0 100 0 1.0 0.5 0.25
vt 0 0
vt 1 0
vt 1 1
vt 0 1
usemtl Red paint
f 1/1 2/2 3/3 4/4
o Flag
usemtl Red paint
f -4/-4 -3/-3 -2/-2
"""


MTL = b"""newmtl Red paint
Kd 0.5 0.25 1
map_Kd -s 2 2 1 -o 0.5 0 0 tex/red one.png
map_Pr tex/gloss.png
Pm 0.25
map_Bump -bm 0.01 tex/height.png
norm tex/normal.png
Ke 4 2 0
Pc 0.5
Pcr 0.1
odd 1
"""


class Obj(TestCase):
    def files(self) -> dict[str, bytes]:
        pictures = {
            f"somewhere/tex/{name}.png": noise_image(name.replace(" ", "-")).data
            for name in ("red one", "gloss", "height", "normal")
        }
        return {"t.obj": OBJ, "t.mtl": MTL, **pictures}

    def test_parts_faces_uvs_and_colours(self) -> None:
        made = receive(self.files()).scene
        self.assertEqual([node.name for node in made.parts()], ["Box", "Flag"])
        box = made.meshes["mesh:Box"].primitives[0]
        self.assertEqual(len(box.indices), 2)
        corner = int(np.flatnonzero((box.positions == [100, 100, 0]).all(axis=1))[0])
        self.assertEqual(box.uvs[0][corner].tolist(), [1, 0])  # v up in the file, down in the scene
        self.assertEqual(box.colors[0].tolist(), [1.0, 0.5, 0.25, 1.0])
        self.assertEqual(
            sorted(made.meshes["mesh:Flag"].primitives[0].positions[:, 0].tolist()), [0, 100, 100]
        )

    def test_statements_become_inputs(self) -> None:
        received = receive(self.files())
        inputs = received.scene.materials["material:Red-paint"].inputs
        base = inputs["base_color"]
        self.assertEqual(
            (base.factor, base.texture.scale, base.texture.encoding), ((0.5, 0.25, 1.0), (2.0, 2.0), "srgb")
        )
        self.assertEqual(received.scene.images[base.texture.image].path, "somewhere/tex/red one.png")
        self.assertEqual(
            (
                inputs["metalness"].factor,
                inputs["height"].texture.strength,
                inputs["emission"].factor,
                inputs["emission_strength"].factor,
            ),
            ((0.25,), 0.01, (1.0, 0.5, 0.0), (4.0,)),
        )
        self.assertEqual((inputs["clearcoat"].factor, inputs["clearcoat_roughness"].factor), ((0.5,), (0.1,)))
        self.assertIn("unread", {finding.kind for finding in received.findings})

    def test_what_the_format_does_not_say_is_a_guess(self) -> None:
        made = receive(self.files()).scene
        self.assertEqual(
            (made.unit_m.origin, made.up_axis.origin, made.declares),
            ("guess", "guess", frozenset({BYTE_COLORS})),
        )

    def test_loose_images_come_along_and_a_floating_one_lights_the_scene(self) -> None:
        sky = image("sky", np.ones((8, 16, 3), np.float32), "exr")
        made = receive({**self.files(), "old/mask.png": noise_image("mask").data, "sky.exr": sky.data}).scene
        self.assertEqual([made.images[i].name for i in made.loose_images], ["mask.png"])
        self.assertEqual(made.images[made.environment.image].name, "sky.exr")

    def test_several_models_make_one_scene(self) -> None:
        made = receive(
            {"a.glb": write_glb(scene(cube(), names=("A",))), "b.glb": write_glb(scene(cube(), names=("B",)))}
        ).scene
        self.assertEqual(sorted(node.name for node in made.parts()), ["A", "B"])
        self.assertTrue(all(p.material in made.materials for m in made.meshes.values() for p in m.primitives))
