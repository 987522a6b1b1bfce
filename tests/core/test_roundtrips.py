"""What a writer takes and a reader gives comes back equal: random scenes through GLB, USD and COLLADA."""

from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from demo.collada import collada_zip
from tests.making import image, material
from trasloco.formats.gltf_write import write_glb
from trasloco.formats.receive import receive
from trasloco.formats.usd_write import write_usd
from trasloco.mends.settling import settle
from trasloco.scene.model import Declared, Input, Mesh, Node, Primitive, Scene, Texture
from trasloco.scene.transforms import compose
from trasloco.sheets.library import sheet_named

PLAIN = sheet_named("plain")


@st.composite
def scenes(draw: Any) -> Scene:
    """One to three parts in a small tree, each with its own attributes, two materials of random constants and
    one image.
    """
    rng = np.random.default_rng(draw(st.integers(0, 2**32 - 1)))
    nodes: dict[str, Node] = {}
    meshes: dict[str, Mesh] = {}
    first = replace(
        material(
            "first",
            base_color=Input(
                tuple(float(v) for v in rng.random(3)), Texture("image:i", "rgb", "srgb", uv_set=0)
            ),
            roughness=(float(rng.random()),),
            metalness=(float(rng.random()),),
        ),
        double_sided=bool(rng.random() < 0.5),
    )
    second = material(
        "second", base_color=Input(tuple(float(v) for v in rng.random(3))), ior=(float(rng.uniform(1.1, 2)),)
    )
    for k in range(draw(st.integers(1, 3))):
        count, faces = int(rng.integers(3, 40)), int(rng.integers(1, 60))
        normals = rng.standard_normal((count, 3))
        corners = np.array([rng.choice(count, 3, replace=False) for _ in range(faces)], np.uint32)
        uvs = tuple(rng.random((count, 2)).astype(np.float32) for _ in range(draw(st.integers(1, 2))))
        colors = (
            np.concatenate([rng.random((count, 3)), np.ones((count, 1))], axis=1).astype(np.float32)
            if draw(st.booleans())
            else None
        )
        p = Primitive(
            rng.uniform(-5, 5, (count, 3)).astype(np.float32),
            corners,
            (normals / np.linalg.norm(normals, axis=1, keepdims=True)).astype(np.float32),
            None,
            uvs,
            colors,
            material=f"material:{'first' if k % 2 == 0 else 'second'}",
        )
        meshes[f"mesh:{k}"] = Mesh(f"mesh:{k}", f"part {k}", (p,))
        matrix = compose(rng.uniform(-3, 3, 3), rng.standard_normal(4), np.full(3, rng.uniform(0.2, 3)))
        nodes[f"part:{k}"] = Node(
            f"part:{k}",
            f"part {k}",
            f"part:{k - 1}" if k and draw(st.booleans()) else None,
            matrix,
            mesh=f"mesh:{k}",
        )
    used = {p.material for m in meshes.values() for p in m.primitives}
    picture = image("i", rng.integers(0, 255, (4, 4, 3)).astype(np.uint8))
    return Scene(
        "s",
        nodes,
        meshes,
        {m.id: m for m in (first, second) if m.id in used},
        {picture.id: picture},
        unit_m=Declared(1.0, "file"),
        up_axis=Declared("Y", "file"),
    )


def corners(scene: Scene) -> dict[str, list[np.ndarray]]:
    """By part name: world positions, normals' directions, UVs and colours at the corners of every face."""
    world = scene.world_matrices()
    found: dict[str, list[np.ndarray]] = {}
    for part in scene.parts():
        for p in scene.meshes[part.mesh or ""].primitives:
            points = p.positions.astype(np.float64) @ world[part.id][:3, :3].T + world[part.id][:3, 3]
            table = [points[p.indices], *(uv[p.indices] for uv in p.uvs)]
            if p.colors is not None:
                table.append(p.colors[p.indices][..., :3])
            assert p.normals is not None
            turned = p.normals.astype(np.float64) @ np.linalg.inv(world[part.id][:3, :3])
            table.append((turned / np.linalg.norm(turned, axis=1, keepdims=True))[p.indices])
            found[part.name] = table
    return found


class RoundTrips(TestCase):
    def same(self, got: Scene, wanted: Scene, atol: float, uv_sets: int = 2) -> None:
        ours, theirs = corners(got), corners(wanted)
        self.assertEqual(sorted(ours), sorted(theirs))
        for name, tables in theirs.items():
            if uv_sets == 1:
                tables = [
                    tables[0],
                    tables[1],
                    *tables[
                        1
                        + sum(
                            len(p.uvs) for m in wanted.meshes.values() if m.name == name for p in m.primitives
                        ) :
                    ],
                ]
            self.assertEqual(len(ours[name]), len(tables))
            for a, b in zip(ours[name], tables):
                np.testing.assert_allclose(a, b, atol=atol)

    @settings(max_examples=25, deadline=None)
    @given(scenes())
    def test_glb(self, scene: Scene) -> None:
        back = receive({"s.glb": write_glb(scene)}).scene
        self.same(back, scene, 1e-4)
        for material_id, held in scene.materials.items():
            got = next(m for m in back.materials.values() if m.name == held.name)
            self.assertEqual(got.double_sided, held.double_sided, material_id)
            for name, value in held.inputs.items():
                np.testing.assert_allclose(got.inputs[name].factor, value.factor, atol=1e-6, err_msg=name)
                self.assertEqual(got.inputs[name].texture is None, value.texture is None)
        self.assertEqual(
            {i.digest for i in back.images.values()},
            {i.digest for i in scene.images.values()}
            if any(i.texture for m in scene.materials.values() for i in m.inputs.values())
            else {i.digest for i in back.images.values()},
        )

    @settings(max_examples=6, deadline=None)
    @given(scenes(), st.sampled_from(["Y", "Z"]), st.sampled_from([1.0, 0.01]))
    def test_usd(self, scene: Scene, axis: str, unit: float) -> None:
        files = {"s.usdc": write_usd(scene, axis, unit), **{i.path: i.data for i in scene.images.values()}}
        back = settle(receive(files).scene, PLAIN, [])
        self.same(back, scene, 2e-3)
        for held in scene.materials.values():
            got = next(m for m in back.materials.values() if m.name == held.name)
            np.testing.assert_allclose(
                got.inputs["roughness"].factor, held.inputs["roughness"].factor, atol=1e-6
            )
            np.testing.assert_allclose(
                got.inputs["metalness"].factor, held.inputs["metalness"].factor, atol=1e-6
            )

    @settings(max_examples=15, deadline=None)
    @given(scenes())
    def test_collada(self, scene: Scene) -> None:
        back = settle(receive({"s.zip": collada_zip(scene)}).scene, PLAIN, [])
        self.same(back, scene, 2e-3, uv_sets=1)
