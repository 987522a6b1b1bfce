"""Skins, morphs and motion of COLLADA and USD: at rest the skinned points lie where the mesh has them, posed
where the joints take them.
"""

from typing import Any
from unittest import TestCase

import numpy as np
from pxr import Gf, UsdGeom, UsdSkel, Vt

from tests.core.test_readers import VERSIONS
from tests.core.test_usd_files import stage_bytes
from trasloco.formats.receive import receive
from trasloco.mends.settling import settle
from trasloco.scene.model import Scene
from trasloco.scene.motion import posed_matrices, skinned_points
from trasloco.sheets.library import sheet_named

POINTS = [(0, 0, 0), (1, 0, 0), (1, 2, 0), (0, 2, 0)]
"""A strip: the lower two points hang on the root, the upper two on the tip at height 1."""

RIG = """<?xml version="1.0"?><COLLADA xmlns="{namespace}" version="1.4.1"><asset><unit meter="1"/><up_axis>Y_UP</up_axis></asset>
<library_geometries><geometry id="g" name="Strip"><mesh>{source_p}<vertices id="v"><input semantic="POSITION" source="#p"/></vertices><triangles count="2"><input semantic="VERTEX" source="#v" offset="0"/><p>0 1 2 0 2 3</p></triangles></mesh></geometry>
<geometry id="fat" name="Fat"><mesh>{source_q}<vertices id="w"><input semantic="POSITION" source="#q"/></vertices><triangles count="2"><input semantic="VERTEX" source="#w" offset="0"/><p>0 1 2 0 2 3</p></triangles></mesh></geometry></library_geometries>
<library_controllers><controller id="m"><morph source="#g" method="NORMALIZED"><source id="mt"><IDREF_array id="mta" count="1">fat</IDREF_array></source><source id="mw"><float_array id="mwa" count="1">0</float_array><technique_common><accessor source="#mwa" count="1"><param name="W"/></accessor></technique_common></source><targets><input semantic="MORPH_TARGET" source="#mt"/><input semantic="MORPH_WEIGHT" source="#mw"/></targets></morph></controller>
<controller id="c"><skin source="#m"><bind_shape_matrix>1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1</bind_shape_matrix>
<source id="j"><Name_array id="ja" count="2">root tip</Name_array></source>
<source id="b"><float_array id="ba" count="32">1 0 0 0 0 1 0 0 0 0 1 0 0 0 0 1 1 0 0 0 0 1 0 -1 0 0 1 0 0 0 0 1</float_array><technique_common><accessor source="#ba" count="2" stride="16"><param name="T" type="float4x4"/></accessor></technique_common></source>
<source id="wt"><float_array id="wta" count="2">1 0.25</float_array><technique_common><accessor source="#wta" count="2"><param name="W"/></accessor></technique_common></source>
<joints><input semantic="JOINT" source="#j"/><input semantic="INV_BIND_MATRIX" source="#b"/></joints>
<vertex_weights count="4"><input semantic="JOINT" source="#j" offset="0"/><input semantic="WEIGHT" source="#wt" offset="1"/><vcount>1 1 1 2</vcount><v>0 0 0 0 1 0 0 1 1 0</v></vertex_weights></skin></controller></library_controllers>
<library_visual_scenes><visual_scene id="s"><node id="R" sid="root" name="root" type="JOINT"><node id="T" sid="tip" name="tip" type="JOINT"><translate sid="t">0 1 0</translate><rotate sid="r">0 0 1 {turn}</rotate></node></node>
<node id="n" name="Cloth"><instance_controller url="#c"><skeleton>#R</skeleton></instance_controller></node></visual_scene></library_visual_scenes><scene><instance_visual_scene url="#s"/></scene></COLLADA>"""


def source(id: str, points: list[tuple[float, ...]]) -> str:
    return f'<source id="{id}"><float_array id="{id}a" count="12">{" ".join(str(v) for p in points for v in p)}</float_array><technique_common><accessor source="#{id}a" count="4" stride="3"><param name="X"/><param name="Y"/><param name="Z"/></accessor></technique_common></source>'


def posed(scene: Scene) -> np.ndarray:
    part = next(p for p in scene.parts() if p.skin)
    return np.asarray(
        skinned_points(
            scene.meshes[part.mesh or ""].primitives[0], scene.skins[part.skin or ""], scene.world_matrices()
        )
    )


def sorted_rows(table: Any) -> np.ndarray:
    rows = np.asarray(table, np.float64).round(5)
    return np.asarray(rows[np.lexsort(rows.T)])


class ColladaRig(TestCase):
    def scene(self, turn: float) -> Scene:
        fat = [(x * 2, y, z) for x, y, z in POINTS]
        return receive(
            {
                "r.dae": RIG.format(
                    namespace=VERSIONS["1.4.1"],
                    source_p=source("p", POINTS),
                    source_q=source("q", fat),
                    turn=turn,
                ).encode()
            }
        ).scene

    def test_at_rest_and_turned(self) -> None:
        np.testing.assert_allclose(sorted_rows(posed(self.scene(0))), sorted_rows(POINTS), atol=1e-5)
        # A quarter turn of the tip about (0, 1): (1, 2) goes to (-1, 2). The last point hangs by 0.25 on the
        # root and 1 on the tip, 0.2 and 0.8 when evened out.
        turned_last = 0.2 * np.array([0, 2, 0]) + 0.8 * np.array([-1, 1, 0])
        np.testing.assert_allclose(
            sorted_rows(posed(self.scene(90))),
            sorted_rows([(0, 0, 0), (1, 0, 0), (-1, 2, 0), turned_last]),
            atol=1e-5,
        )

    def test_morph_targets_are_offsets(self) -> None:
        scene = self.scene(0)
        mesh = next(iter(scene.meshes.values()))
        self.assertEqual(mesh.morph_names, ("Fat",))
        primitive = mesh.primitives[0]
        assert primitive.morphs[0].positions is not None
        np.testing.assert_allclose(primitive.morphs[0].positions, primitive.positions * [1, 0, 0], atol=1e-6)


def fill_rig(stage: Any) -> None:
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    stage.SetTimeCodesPerSecond(24)
    UsdSkel.Root.Define(stage, "/Rig")
    skeleton = UsdSkel.Skeleton.Define(stage, "/Rig/Bones")
    up = Gf.Matrix4d(1).SetTranslate(Gf.Vec3d(0, 1, 0))
    skeleton.CreateJointsAttr(["root", "root/tip"])
    skeleton.CreateBindTransformsAttr([Gf.Matrix4d(1), up])
    skeleton.CreateRestTransformsAttr([Gf.Matrix4d(1), up])
    motion = UsdSkel.Animation.Define(stage, "/Rig/Bones/Motion")
    motion.CreateJointsAttr(["root", "root/tip"])
    half = 0.5**0.5
    for frame, turn in ((0, Gf.Quatf(1)), (24, Gf.Quatf(half, 0, 0, half))):
        motion.CreateTranslationsAttr().Set([Gf.Vec3f(0), Gf.Vec3f(0, 1, 0)], frame)
        motion.CreateRotationsAttr().Set([Gf.Quatf(1), turn], frame)
        motion.CreateScalesAttr().Set(Vt.Vec3hArray([Gf.Vec3h(1), Gf.Vec3h(1)]), frame)
    UsdSkel.BindingAPI.Apply(skeleton.GetPrim()).CreateAnimationSourceRel().SetTargets([motion.GetPath()])
    mesh = UsdGeom.Mesh.Define(stage, "/Rig/Strip")
    mesh.CreatePointsAttr([Gf.Vec3f(*p) for p in POINTS])
    mesh.CreateFaceVertexCountsAttr([4])
    mesh.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
    binding = UsdSkel.BindingAPI.Apply(mesh.GetPrim())
    binding.CreateSkeletonRel().SetTargets([skeleton.GetPath()])
    binding.CreateJointIndicesPrimvar(False, 1).Set([0, 0, 1, 1])
    binding.CreateJointWeightsPrimvar(False, 1).Set([1.0, 1.0, 1.0, 1.0])
    shape = UsdSkel.BlendShape.Define(stage, "/Rig/Strip/Fat")
    shape.CreateOffsetsAttr([Gf.Vec3f(1, 0, 0)])
    shape.CreatePointIndicesAttr([1])
    binding.CreateBlendShapesAttr(["Fat"])
    binding.CreateBlendShapeTargetsRel().SetTargets([shape.GetPath()])
    door = UsdGeom.Mesh.Define(stage, "/Door")
    door.CreatePointsAttr([Gf.Vec3f(*p) for p in POINTS])
    door.CreateFaceVertexCountsAttr([4])
    door.CreateFaceVertexIndicesAttr([0, 1, 2, 3])
    slide = door.AddTranslateOp()
    for frame in (0, 12, 24):
        slide.Set(Gf.Vec3d(frame / 12, 0, 0), frame)
    blob = UsdGeom.Mesh.Define(stage, "/Blob")
    blob.CreatePointsAttr()
    for frame in (0, 1):
        blob.GetPointsAttr().Set([Gf.Vec3f(*p) * (1 + frame) for p in POINTS], frame)
    blob.CreateFaceVertexCountsAttr([4])
    blob.CreateFaceVertexIndicesAttr([0, 1, 2, 3])


class UsdRig(TestCase):
    def test_rest_pose_motion_and_blend_shapes(self) -> None:
        received = receive({"r.usda": stage_bytes(".usda", fill_rig)})
        scene = settle(received.scene, sheet_named("plain"), [])
        np.testing.assert_allclose(sorted_rows(posed(scene)), sorted_rows(POINTS), atol=1e-5)
        clip = next(iter(scene.clips.values()))
        moved, _ = posed_matrices(scene, clip, 1.0)
        at_end = Scene(
            scene.name,
            {
                k: (n if k not in moved else type(n)(**{**n.__dict__, "matrix": moved[k]}))
                for k, n in scene.nodes.items()
            },
            scene.meshes,
            skins=scene.skins,
        )
        np.testing.assert_allclose(
            sorted_rows(posed(at_end)), sorted_rows([(0, 0, 0), (1, 0, 0), (-1, 2, 0), (-1, 1, 0)]), atol=1e-4
        )
        door = next(n for n in scene.nodes.values() if n.name == "Door")
        np.testing.assert_allclose(
            posed_matrices(scene, clip, 0.75)[0][door.id][:3, 3], [1.5, 0, 0], atol=1e-5
        )
        strip = next(m for m in scene.meshes.values() if m.name == "Strip")
        self.assertEqual(strip.morph_names, ("Fat",))
        assert strip.primitives[0].morphs[0].positions is not None
        self.assertAlmostEqual(float(strip.primitives[0].morphs[0].positions.sum()), 1.0)

    def test_points_that_move_one_by_one_are_told(self) -> None:
        received = receive({"r.usda": stage_bytes(".usda", fill_rig)})
        self.assertTrue(any("one by one" in f.title and "Blob" in f.where for f in received.findings))
