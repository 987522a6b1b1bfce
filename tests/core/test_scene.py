"""The neutral scene's own maths: transforms, tangents, pieces, images, names, ids."""

import time
from dataclasses import replace
from unittest import TestCase, mock

import numpy as np

from tests.making import cube, image, noise_image, quad, scene
from trasloco.errors import Refused
from trasloco.fit.naming import Namer, slug
from trasloco.formats import bundle
from trasloco.formats.bundle import Bundle, bundle_files
from trasloco.formats.mtl import parse_map
from trasloco.formats.usd_names import identifier
from trasloco.limits import Limits
from trasloco.render.flatten import flatten
from trasloco.scene.extent import bounds
from trasloco.scene.geometry import pieces, smooth_normals, transform_normals
from trasloco.scene.ids import IdMaker
from trasloco.scene.images import encode, identify, pixels
from trasloco.scene.model import Input, Texture
from trasloco.scene.resolve import input_values
from trasloco.scene.tangent_frames import tangents
from trasloco.scene.transforms import compose, looking, settle_matrix


class Transforms(TestCase):
    def test_compose_is_translation_rotation_scale(self) -> None:
        half = np.sqrt(0.5)
        matrix = compose((1, 2, 3), (0, half, 0, half), (2, 1, 1))  # a quarter turn about Y: +X goes to -Z
        np.testing.assert_allclose(matrix @ [1, 0, 0, 1], [1, 2, 1, 1], atol=1e-12)

    def test_looking_points_minus_z_at_the_target(self) -> None:
        matrix = looking((1, 2, 3), (4, 2, 3))
        np.testing.assert_allclose(-matrix[:3, 2], [1, 0, 0], atol=1e-12)
        np.testing.assert_allclose(matrix[:3, 1], [0, 1, 0], atol=1e-12)
        self.assertAlmostEqual(float(np.linalg.det(matrix)), 1.0)

    def test_settling_turns_each_axis_up_and_stays_right_handed(self) -> None:
        for axis, up in (("X", [1, 0, 0]), ("Y", [0, 1, 0]), ("Z", [0, 0, 1])):
            matrix = settle_matrix(axis, 0.01)
            np.testing.assert_allclose(matrix[:3, :3] @ up, [0, 0.01, 0], atol=1e-12)
            self.assertAlmostEqual(float(np.linalg.det(matrix[:3, :3])), 1e-6)

    def test_normals_stay_square_to_their_surface_under_uneven_scale(self) -> None:
        matrix = compose(scale=(4, 1, 1))
        slope, normal = np.array([1.0, 1.0, 0.0]), np.array([[-1.0, 1.0, 0.0]]) / np.sqrt(2)
        self.assertAlmostEqual(
            float((matrix[:3, :3] @ slope) @ transform_normals(matrix, normal)[0]), 0.0, places=9
        )

    def test_bounds_follow_the_tree(self) -> None:
        given = scene(cube(2))
        moved = replace(
            given,
            nodes={
                k: replace(n, matrix=compose((10, 0, 0), scale=(1, 2, 3))) for k, n in given.nodes.items()
            },
        )
        np.testing.assert_allclose(bounds(moved), [[9, -2, -3], [11, 2, 3]])


class Surfaces(TestCase):
    def test_tangents_follow_u_and_bitangents_the_images_top(self) -> None:
        body = quad()
        found = tangents(body.positions, body.normals, body.uvs[0], body.indices)
        np.testing.assert_allclose(found[:, :3], np.tile([1, 0, 0], (4, 1)), atol=1e-6)
        # w * cross(n, t) must point to -V, which is -Z on this square.
        np.testing.assert_allclose(
            np.cross(body.normals, found[:, :3]) * found[:, 3:], np.tile([0, 0, -1], (4, 1)), atol=1e-6
        )

    def test_mirrored_uvs_turn_the_sign(self) -> None:
        body = quad()
        flipped = body.uvs[0] * np.array([-1, 1], np.float32)
        self.assertTrue(
            (
                tangents(body.positions, body.normals, flipped, body.indices)[:, 3]
                == -tangents(body.positions, body.normals, body.uvs[0], body.indices)[:, 3]
            ).all()
        )

    def test_pieces_join_at_equal_points(self) -> None:
        split = quad().positions[quad().indices.reshape(-1)]
        self.assertEqual(pieces(split, np.arange(6, dtype=np.uint32).reshape(-1, 3)).tolist(), [0, 0])
        apart = np.concatenate([cube().positions, cube().positions + 5])
        both = np.concatenate([cube().indices, cube().indices + 8])
        self.assertEqual(np.bincount(pieces(apart, both)).tolist(), [12, 12])

    def test_without_normals_faces_are_drawn_flat(self) -> None:
        # glTF 2.0, 3.7.2.1: also where corners are shared, and mirrored.
        for matrix in (np.eye(4), np.diag([-1.0, 1.0, 1.0, 1.0])):
            given = scene(cube(1.0), names=("Box",))
            a = flatten(
                replace(given, nodes={id: replace(n, matrix=matrix) for id, n in given.nodes.items()})
            ).arrays
            middle = a.positions[a.triangles].mean(axis=1)
            outward = np.sign(middle) * (np.abs(middle) > 0.49)
            for corner in range(3):
                np.testing.assert_allclose(a.normals[a.triangles[:, corner]], outward, atol=1e-6)

    def test_a_cubes_smooth_normals_point_to_its_corners(self) -> None:
        body = cube(2)
        np.testing.assert_allclose(
            np.abs(smooth_normals(body.positions, body.indices)).max(axis=1), 1 / np.sqrt(3), atol=0.25
        )


class Images(TestCase):
    def test_every_kind_comes_back_as_written(self) -> None:
        rng = np.random.default_rng(0)
        for kind, texels in (
            ("png", rng.integers(0, 255, (5, 7, 4), np.uint8, endpoint=True)),
            ("png", rng.integers(0, 65535, (5, 7, 3), np.uint16, endpoint=True)),
            ("tif", rng.integers(0, 255, (5, 7, 3), np.uint8)),
            ("exr", rng.integers(0, 100, (5, 7, 3)).astype(np.float32)),
        ):
            read = identify("i", f"a.{kind}", "", encode(texels, kind))
            self.assertEqual(
                (read.kind, read.width, read.height, read.channels), (kind, 7, 5, texels.shape[2])
            )
            np.testing.assert_array_equal(pixels(read), texels)

    def test_the_hour_is_not_in_the_bytes(self) -> None:
        texels = np.full((4, 4, 3), 7, np.uint8)
        kinds = {
            kind: texels.astype(np.float32) if kind in ("exr", "hdr") else texels
            for kind in ("png", "jpg", "tif", "exr", "hdr", "ktx2")
        }
        before = {kind: encode(given, kind) for kind, given in kinds.items()}
        time.sleep(1.1)
        self.assertEqual(before, {kind: encode(given, kind) for kind, given in kinds.items()})

    def test_colour_under_transparent_texels_is_kept(self) -> None:
        texels = np.zeros((2, 2, 4), np.uint8)
        texels[..., 0] = 200
        np.testing.assert_array_equal(pixels(image("a", texels)), texels)

    def test_inputs_resolve_as_the_specification_says(self) -> None:
        grey = image("g", np.full((1, 1, 1), 51, np.uint8))
        self.assertAlmostEqual(
            float(input_values("roughness", Input((0.5,), Texture("image:g", "r")), grey)[0, 0, 0]),
            0.1,
            places=5,
        )
        self.assertAlmostEqual(
            float(
                input_values("roughness", Input((1.0,), Texture("image:g", "r", invert=True)), grey)[0, 0, 0]
            ),
            0.8,
            places=5,
        )
        self.assertAlmostEqual(
            float(
                input_values("occlusion", Input((1.0,), Texture("image:g", "r", strength=0.5)), grey)[0, 0, 0]
            ),
            1 + 0.5 * (0.2 - 1),
            places=5,
        )
        bump = image("n", np.array([[[255, 127, 255]]], np.uint8))
        half = input_values("normal", Input((0.0, 0.0, 1.0), Texture("image:n", strength=0.5)), bump)[0, 0]
        np.testing.assert_allclose(half, np.array([0.5, 0, 1]) / np.sqrt(1.25), atol=4e-3)


class Names(TestCase):
    def test_files_get_plain_names_once(self) -> None:
        self.assertEqual(slug("Säule «Nr. 3»"), "saule-nr-3")
        self.assertEqual(slug("***"), "unnamed")
        namer = Namer("{material}-{set}", "media")
        self.assertEqual(
            [namer.path("Red paint", "color", "png"), namer.path("red-paint", "color", "jpg")],
            ["media/red-paint-color.png", "media/red-paint-color-2.jpg"],
        )

    def test_identifiers_are_valid_and_differ_in_more_than_case(self) -> None:
        taken: set[str] = set()
        self.assertEqual(
            [identifier(n, taken) for n in ("3 boards", "Board", "board", "…")],
            ["_3_boards", "Board", "board_2", "unnamed"],
        )

    def test_ids_count_among_equals(self) -> None:
        ids = IdMaker()
        self.assertEqual(
            [ids.make("part", n) for n in ("a b", "a b", "c#1")], ["part:a-b", "part:a-b#2", "part:c-1"]
        )

    def test_map_statements_with_options_and_blanks(self) -> None:
        found = parse_map(
            [
                "-o",
                "0.5",
                "0.25",
                "0",
                "-s",
                "2",
                "3",
                "1",
                "-bm",
                "0.7",
                "-imfchan",
                "m",
                "-clamp",
                "on",
                "my",
                "old",
                "wood.png",
            ]
        )
        self.assertEqual(
            (found.file, found.offset, found.scale, found.strength, found.channel, found.clamp),
            ("my old wood.png", (0.5, 0.25), (2.0, 3.0), 0.7, "m", True),
        )


class Deliveries(TestCase):
    def test_references_are_found_beside_then_by_name(self) -> None:
        files = Bundle({"a/x.mtl": b"", "a/tex/wood.png": b"", "b/Wood.png": b"", "c/stone.PNG": b""})
        self.assertEqual(files.find("tex\\wood.png", "a/x.mtl"), "a/tex/wood.png")
        self.assertEqual(files.find("stone.png", "a/x.mtl"), "c/stone.PNG")
        self.assertIsNone(files.find("glass.png", "a/x.mtl"))

    def test_limits_hold(self) -> None:
        for limits, files in (
            (Limits(upload_bytes=3), {"a.obj": b"1234"}),
            (Limits(files=1), {"a.obj": b"1", "b.obj": b"2"}),
        ):
            with mock.patch.object(bundle, "LIMITS", limits), self.assertRaises(Refused):
                bundle_files(files)

    def test_images_beyond_the_limit_are_told_before_they_are_decoded(self) -> None:
        data = noise_image("x", 8, 8).data
        with mock.patch("trasloco.scene.images.LIMITS", Limits(image_side=4)):
            self.assertIn("more than the limit of 4", identify("i", "x.png", "x.png", data).problem)
