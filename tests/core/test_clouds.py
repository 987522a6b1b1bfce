"""Points and lines without faces: read from every format that has them, carried where the destination knows
them, told elsewhere.
"""

import io
from dataclasses import replace
from unittest import TestCase

import numpy as np
import trimesh
from pxr import Usd, UsdGeom

from tests.making import material, quad, scene
from trasloco import move
from trasloco.accounts.clouds import same_cloud
from trasloco.formats.gltf_write import write_glb
from trasloco.formats.receive import receive
from trasloco.proof.light_there import not_shown
from trasloco.scene.model import Cloud, Decision, Node, Scene
from trasloco.scene.transforms import compose
from trasloco.sheets.library import built_in_sheets

SHEETS = built_in_sheets()
POINTS = np.array([[0, 0, 0], [1, 0, 0], [1, 2, 0], [0, 2, 3]], np.float32)
COLORS = np.array([[1, 0, 0, 1], [0, 1, 0, 1], [0, 0, 1, 0.5], [0.2, 0.4, 0.6, 1]], np.float32)
LINES = np.array([[0, 1], [1, 2], [2, 3]], np.uint32)


def with_cloud(cloud: Cloud) -> Scene:
    given = scene(quad(), materials=(material(),), names=("Floor",))
    return replace(
        given,
        clouds={cloud.id: cloud},
        nodes={
            **given.nodes,
            "part:scan": Node("part:scan", "Scan", None, compose((0, 1, 0)), cloud=cloud.id),
        },
    )


SCAN = Cloud("cloud:scan", "Scan", POINTS, colors=COLORS)
WIRES = Cloud("cloud:wires", "Wires", POINTS, LINES, COLORS)


class Carried(TestCase):
    def moved(self, cloud: Cloud, to: str) -> tuple[Scene, list[tuple[str, str]]]:
        given, sheet = with_cloud(cloud), SHEETS[to]
        carried = move.carry(given, move.plan(given, SHEETS["plain"], sheet), sheet)
        arrival = move.arrive(move.package(carried, sheet), sheet)
        accounts = move.account(given, arrival, carried.plan, sheet)
        self.assertEqual(accounts.unaccounted, [])
        return arrival, [(e.mark, e.arrived) for e in accounts.entries if e.kind == "cloud"]

    def test_both_kinds_arrive_whole_where_they_are_known(self) -> None:
        for to in ("lanterna", "fornace"):
            for cloud, told in ((SCAN, "4 points, coloured"), (WIRES, None)):
                arrival, entries = self.moved(cloud, to)
                self.assertEqual([mark for mark, _ in entries], ["exact"])
                got = next(iter(arrival.clouds.values()))
                self.assertTrue(same_cloud(cloud, got))
                np.testing.assert_allclose(
                    arrival.world_matrices()[next(n.id for n in arrival.nodes.values() if n.cloud)][:3, 3],
                    [0, 1, 0],
                    atol=1e-6,
                )
                if told:
                    self.assertEqual(entries[0][1], told)

    def test_elsewhere_they_are_told_as_lost(self) -> None:
        arrival, entries = self.moved(SCAN, "taccuino")
        self.assertEqual((len(arrival.clouds), entries), (0, [("lost", "none")]))

    def test_they_can_be_left_out_and_are_told_as_not_shown(self) -> None:
        given = with_cloud(SCAN)
        self.assertEqual(not_shown(given), ["Points and lines: Scan"])
        left = move.mend(given, SHEETS["plain"], [Decision("part:scan", "include", False)])
        self.assertEqual((len(left.clouds), [n.name for n in left.nodes.values()]), (0, ["Floor"]))


class Read(TestCase):
    def test_gltf_by_another_library(self) -> None:
        data = trimesh.Scene([trimesh.PointCloud(POINTS, (COLORS * 255).astype(np.uint8))]).export(
            file_type="glb"
        )
        received = receive({"scan.glb": data})
        cloud = next(iter(received.scene.clouds.values()))
        np.testing.assert_allclose(cloud.positions, POINTS)
        self.assertIn("clouds", {f.kind for f in received.findings})

    def test_ours_by_another_library(self) -> None:
        loaded = trimesh.load(io.BytesIO(write_glb(with_cloud(SCAN))), file_type="glb")
        held = [g for g in loaded.geometry.values() if isinstance(g, trimesh.PointCloud)]
        self.assertEqual(len(held), 1)
        np.testing.assert_allclose(np.asarray(held[0].vertices), POINTS, atol=1e-6)

    def test_ply_points_and_edges(self) -> None:
        head = "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\n"
        rows = "".join(f"{p[0]} {p[1]} {p[2]} 255 0 128\n" for p in POINTS)
        scan = next(iter(receive({"a.ply": f"{head}end_header\n{rows}".encode()}).scene.clouds.values()))
        np.testing.assert_allclose(scan.positions, POINTS)
        assert scan.colors is not None
        np.testing.assert_allclose(scan.colors[0], [1, 0, 128 / 255, 1], atol=1e-6)
        wires = receive(
            {
                "a.ply": f"{head}element edge 2\nproperty int vertex1\nproperty int vertex2\nend_header\n{rows}0 1\n2 3\n".encode()
            }
        ).scene
        self.assertEqual(next(iter(wires.clouds.values())).lines.tolist(), [[0, 1], [2, 3]])

    def test_obj_lines_and_points_beside_faces(self) -> None:
        text = (
            "".join(f"v {p[0]} {p[1]} {p[2]}\n" for p in POINTS) + "o Stage\nf 1 2 3\no Wire\nl 1 2 4\np 3\n"
        )
        made = receive({"a.obj": text.encode()}).scene
        held = {n.name: made.clouds[n.cloud] for n in made.nodes.values() if n.cloud}
        np.testing.assert_allclose(
            held["Wire lines"].positions[held["Wire lines"].lines], POINTS[[[0, 1], [1, 3]]]
        )
        np.testing.assert_allclose(held["Wire points"].positions, POINTS[2:3])
        self.assertEqual(len(made.parts()), 1)

    def test_usd_points_and_curves_written_by_the_library(self) -> None:
        stage = Usd.Stage.CreateInMemory()
        UsdGeom.SetStageMetersPerUnit(stage, 1.0)
        UsdGeom.SetStageUpAxis(stage, "Y")
        dots = UsdGeom.Points.Define(stage, "/Dots")
        dots.CreatePointsAttr([tuple(map(float, p)) for p in POINTS])
        dots.CreateDisplayColorAttr([(1, 0, 0)])
        curve = UsdGeom.BasisCurves.Define(stage, "/Curve")
        curve.CreateTypeAttr("linear")
        curve.CreateCurveVertexCountsAttr([4])
        curve.CreateWrapAttr("periodic")
        curve.CreatePointsAttr([tuple(map(float, p)) for p in POINTS])
        made = receive({"a.usda": stage.ExportToString().encode()}).scene
        held = {n.name: made.clouds[n.cloud] for n in made.nodes.values() if n.cloud}
        np.testing.assert_allclose(held["Dots"].positions, POINTS)
        self.assertEqual(held["Curve"].lines.tolist(), [[0, 1], [1, 2], [2, 3], [3, 0]])

    def test_units_and_axes_reach_them(self) -> None:
        told = receive(
            {
                "a.ply": b"ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nend_header\n0 0 100\n"
            }
        ).scene
        settled = move.mend(
            told, SHEETS["plain"], [Decision("scene", "up_axis", "Z"), Decision("scene", "unit_m", 0.01)]
        )
        np.testing.assert_allclose(next(iter(settled.clouds.values())).positions, [[0, 1, 0]], atol=1e-6)
