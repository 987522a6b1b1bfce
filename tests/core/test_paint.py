"""Vertex colours: told apart, made images that look the same when rendered, made from images, taken away."""

from dataclasses import replace
from typing import Any
from unittest import TestCase

import numpy as np

from tests.making import DECLARED, cube, image, material, quad, scene
from trasloco import move
from trasloco.errors import Refused
from trasloco.fit.palette import palette_image, palette_of, palette_side
from trasloco.inventory.paint import paints
from trasloco.mends.colors import loss_as_vertex_colors
from trasloco.render.picture import Quality, framing
from trasloco.scene.geometry import smooth_normals
from trasloco.scene.images import pixels
from trasloco.scene.model import Decision, Input, Primitive, Scene, Texture
from trasloco.sheets.library import built_in_sheets

PLAIN, LANTERNA, FORNACE = (built_in_sheets()[name] for name in ("plain", "lanterna", "fornace"))


def ball(rings: int = 24, colors: Any = None, bump: float = 0.0) -> Primitive:
    """A closed ball with shared vertices; ``colors`` maps (N, 3) unit positions to (N, 3) linear colours;
    ``bump`` makes it hollow in places.
    """
    v, u = np.meshgrid(
        np.linspace(0.02, 0.98, rings), np.linspace(0, 1, 2 * rings, endpoint=False), indexing="ij"
    )
    around, up = u.ravel() * 2 * np.pi, v.ravel() * np.pi
    unit = np.stack([np.sin(up) * np.cos(around), np.cos(up), np.sin(up) * np.sin(around)], 1)
    points = (unit * (1 + bump * np.sin(5 * around)[:, None] * np.sin(up)[:, None] ** 2)).astype(np.float32)
    across = 2 * rings
    cell = [
        (
            r * across + k,
            r * across + (k + 1) % across,
            (r + 1) * across + k,
            (r + 1) * across + (k + 1) % across,
        )
        for r in range(rings - 1)
        for k in range(across)
    ]
    faces = np.array([t for a, b, c, d in cell for t in ((a, b, c), (b, d, c))], np.uint32)
    uv = np.stack([u.ravel(), v.ravel()], 1).astype(np.float32)
    given = (
        None
        if colors is None
        else np.concatenate([colors(unit), np.ones((len(unit), 1))], 1).astype(np.float32)
    )
    return Primitive(
        points,
        faces,
        smooth_normals(points, faces).astype(np.float32),
        None,
        (uv,),
        given,
        material="material:m",
    )


def split_by_face(p: Primitive, colors: Any) -> Primitive:
    """Every face with vertices and one colour of its own."""
    at = p.indices.reshape(-1)
    assert p.normals is not None
    tint = np.repeat(np.concatenate([colors, np.ones((len(colors), 1))], 1), 3, axis=0).astype(np.float32)
    return replace(
        p,
        positions=p.positions[at],
        normals=p.normals[at],
        uvs=tuple(u[at] for u in p.uvs),
        colors=tint,
        indices=np.arange(len(at), dtype=np.uint32).reshape(-1, 3),
    )


def painted(p: Primitive, base: Input | None = None, *images: Any) -> Scene:
    made = material(base_color=base or Input((1.0, 1.0, 1.0), vertex_color=True), roughness=(0.8,))
    return replace(scene(p, materials=(made,), images=images), declares=DECLARED)


def swirl(unit: Any) -> Any:
    return 0.5 + 0.4 * np.stack(
        [
            np.sin(7 * unit[:, 0] + 3 * unit[:, 1]),
            np.cos(5 * unit[:, 2]),
            np.sin(6 * unit[:, 1] * unit[:, 0]),
        ],
        1,
    )


IDS = np.array([[0.9, 0.05, 0.05], [0.05, 0.6, 0.1], [0.1, 0.1, 0.9], [0.9, 0.8, 0.1]])


class Kinds(TestCase):
    def kind(self, p: Primitive, base: Input | None = None, *images: Any) -> str:
        return paints(painted(p, base, *images))[0].kind

    def test_each_kind_is_told(self) -> None:
        picture = image("paint", np.full((8, 8, 3), 128, np.uint8))
        pictured = Input((1.0, 1.0, 1.0), Texture("image:paint", "rgb", "srgb"), vertex_color=True)
        faces = len(ball().indices)
        self.assertEqual(self.kind(ball(colors=lambda u: np.ones((len(u), 3)))), "white")
        self.assertEqual(
            self.kind(ball(colors=lambda u: np.tile([0.8, 0.7, 0.4], (len(u), 1))), pictured, picture), "tint"
        )
        self.assertEqual(self.kind(split_by_face(ball(), IDS[np.arange(faces) * 4 // faces])), "ID")
        self.assertEqual(self.kind(ball(colors=swirl)), "paint")
        self.assertEqual(
            self.kind(ball(colors=lambda u: np.repeat((u[:, :1] > 0.2).astype(float), 3, axis=1))), "mask"
        )
        self.assertEqual(
            self.kind(
                ball(
                    colors=lambda u: np.repeat(
                        0.3 + 0.5 * np.clip(u @ np.array([[0.3], [0.9], [0.3]]), 0, 1), 3, axis=1
                    )
                )
            ),
            "baked light",
        )

    def test_light_in_hollows_is_told_by_how_closed_in_they_are(self) -> None:
        from trasloco.inventory.paint import gathered_colors, openness

        hollow = painted(ball(32, colors=swirl, bump=0.35))
        gathered = gathered_colors(hollow, "material:m")
        assert gathered is not None
        openness = openness(hollow, gathered.positions, gathered.normals, np.random.default_rng(5))
        self.assertGreater(float(np.ptp(openness)), 0.2)
        primitive = next(iter(hollow.meshes.values())).primitives[0]
        light = np.repeat(0.2 + 0.7 * openness[:, None], 3, axis=1)
        lit = replace(
            primitive, colors=np.concatenate([light, np.ones((len(light), 1))], 1).astype(np.float32)
        )
        self.assertEqual(paints(painted(lit))[0].kind, "baked light")

    def test_without_colours_nothing_is_claimed(self) -> None:
        self.assertEqual(paints(painted(ball())), [])


class Images(TestCase):
    def carried(self, given: Scene, *decisions: Decision) -> tuple[Any, Scene]:
        plan = move.plan(given, PLAIN, FORNACE, decisions)
        carried = move.carry(given, plan, FORNACE)
        return carried, move.arrive(move.package(carried, FORNACE), FORNACE)

    def difference(self, given: Scene, arrival: Scene) -> float:
        from tests.making import sky
        from trasloco.scene.lit import Environment

        lit = [
            replace(
                s,
                images={**s.images, "image:sky": sky(0.8)},
                environment=Environment("image:sky", 1.0, 0.0),
                lights={},
            )
            for s in (given, arrival)
        ]
        return move.prove(
            lit[0], lit[1], [framing(given)], Quality(width=160, height=120, samples=64)
        ).worst.comparison.mean

    def test_paint_looks_the_same_as_an_image_of_its_own(self) -> None:
        given = painted(ball(colors=swirl))
        carried, arrival = self.carried(given)
        crossing = next(c for c in carried.plan.crossings if c.name == "base_color")
        self.assertEqual(
            (
                crossing.mark,
                arrival.materials[next(iter(arrival.materials))].inputs["base_color"].vertex_color,
            ),
            ("close", False),
        )
        self.assertLess(crossing.rms, 0.01)
        self.assertGreater(self.difference(given, painted(ball())), 5)
        self.assertLess(self.difference(given, arrival), 0.5)

    def test_paint_over_an_image_looks_the_same(self) -> None:
        checks = (np.indices((64, 64)).sum(0) // 8 % 2 * 120 + 100).astype(np.uint8)
        picture = image("checks", np.stack([checks, checks // 2, 255 - checks], -1))
        given = painted(
            ball(colors=swirl),
            Input(
                (1.0, 0.8, 1.0), Texture("image:checks", "rgb", "srgb", scale=(2.0, 1.0)), vertex_color=True
            ),
            picture,
        )
        _, arrival = self.carried(given)
        self.assertLess(self.difference(given, arrival), 0.5)

    def test_an_atlas_beside_two_uv_sets_looks_the_same_too(self) -> None:
        body = ball(colors=swirl)
        two = painted(replace(body, uvs=(*body.uvs, body.uvs[0] * 0.5)))
        _, arrival = self.carried(two)
        self.assertEqual(next(iter(arrival.materials.values())).inputs["base_color"].texture.uv_set, 2)  # type: ignore[union-attr]
        self.assertLess(self.difference(two, arrival), 0.5)

    def test_flat_colours_become_a_palette_that_is_exact(self) -> None:
        faces = len(ball().indices)
        given = painted(
            split_by_face(ball(), IDS[np.arange(faces) * 4 // faces]),
            Input((0.5, 1.0, 1.0), vertex_color=True),
        )
        carried, arrival = self.carried(given)
        crossing = next(c for c in carried.plan.crossings if c.name == "base_color")
        self.assertEqual((crossing.mark, [s.settings["how"] for s in crossing.steps]), ("exact", ["palette"]))
        made = next(iter(arrival.materials.values())).inputs["base_color"]
        assert made.texture is not None
        texels = pixels(arrival.images[made.texture.image])
        mesh = next(iter(arrival.meshes.values())).primitives[0]
        uv = mesh.uvs[made.texture.uv_set]
        seen = (
            texels[
                np.floor(uv[:, 1] * texels.shape[0]).astype(int),
                np.floor(uv[:, 0] * texels.shape[1]).astype(int),
            ]
            / 65535
        )
        light = np.where(seen <= 0.04045, seen / 12.92, ((seen + 0.055) / 1.055) ** 2.4)  # IEC 61966-2-1
        found = {tuple(c) for c in light.round(3)}
        self.assertEqual(found, {tuple((c * (0.5, 1.0, 1.0)).round(3)) for c in IDS})
        self.assertLess(self.difference(given, arrival), 0.3)

    def test_the_artist_chooses_how(self) -> None:
        faces = len(ball().indices)
        given = painted(split_by_face(ball(), IDS[np.arange(faces) * 4 // faces]))
        for wish, how in ((None, "palette"), ("palette", "palette"), ("atlas", "atlas")):
            plan = move.plan(given, PLAIN, FORNACE, [Decision("material:m", "paint", wish)])
            self.assertEqual(plan.of("material:m")[0].steps[0].settings["how"], how)
        kept = move.plan(given, PLAIN, LANTERNA)
        self.assertFalse(kept.of("material:m")[0].steps[0].settings["bake"])
        baked = move.carry(
            given, move.plan(given, PLAIN, LANTERNA, [Decision("material:m", "paint", "atlas")]), LANTERNA
        )
        arrival = move.arrive(move.package(baked, LANTERNA), LANTERNA)
        self.assertTrue(all(p.colors is None for m in arrival.meshes.values() for p in m.primitives))
        self.assertLess(self.difference(given, arrival), 0.5)
        varied = move.plan(
            painted(ball(colors=swirl)), PLAIN, FORNACE, [Decision("material:m", "paint", "palette")]
        )
        self.assertEqual(varied.of("material:m")[0].steps[0].settings["how"], "atlas")

    def test_a_cut_out_beside_baked_paint_is_drawn_into_the_same_image_where_one_holds_both(self) -> None:
        hole = image("hole", np.full((8, 8, 1), 255, np.uint8))
        made = material(
            alpha_mode="mask",
            base_color=Input((1.0, 1.0, 1.0), vertex_color=True),
            opacity=Texture("image:hole", "r"),
        )
        given = replace(
            scene(
                replace(
                    quad(),
                    colors=np.array([[1, 0, 0, 1], [0, 1, 0, 1], [0, 0, 1, 1], [1, 1, 0, 1]], np.float32),
                ),
                materials=(made,),
                images=(hole,),
            ),
            declares=DECLARED,
        )
        plan = move.plan(given, PLAIN, LANTERNA, [Decision("material:m", "paint", "atlas")])
        marks = {c.name: (c.mark, c.reason) for c in plan.crossings}
        self.assertEqual((marks["base_color"][0], marks["opacity"][0]), ("close", "close"), marks)
        landed = {c.name: (c.landing.image, c.landing.channel) for c in plan.crossings}
        self.assertEqual((landed["base_color"][0], landed["opacity"][1]), (landed["opacity"][0], "a"))
        apart = {c.name: c.mark for c in move.plan(given, PLAIN, FORNACE).crossings}
        self.assertEqual((apart["base_color"], apart["opacity"]), ("close", "exact"))


class Palettes(TestCase):
    def test_a_palette_has_room_and_shows_each_colour_at_its_centre(self) -> None:
        for count in (1, 2, 4, 5, 17, 64, 65, 1000):
            side = palette_side(count)
            self.assertEqual(side & (side - 1), 0)
            self.assertGreaterEqual((side // 8) ** 2, count)
            colors = np.random.default_rng(count).random((count, 3)).astype(np.float32)
            picture = palette_image(colors, side)
            across = side // 8
            for k in (0, count // 2, count - 1):
                np.testing.assert_array_equal(
                    picture[
                        k // across * 8 + 2 : k // across * 8 + 6, k % across * 8 + 2 : k % across * 8 + 6
                    ].reshape(-1, 3),
                    np.tile(colors[k], (16, 1)),
                )

    def test_no_palette_where_a_face_has_several_colours(self) -> None:
        self.assertIsNone(palette_of(painted(ball(colors=swirl)), "material:m"))
        self.assertEqual(len(palette_of(painted(cube()), "material:m")), 1)  # type: ignore[arg-type]


class FromImages(TestCase):
    def test_an_image_becomes_vertex_colours_and_back(self) -> None:
        ramp = np.tile(np.arange(256, dtype=np.uint8)[None, :, None], (16, 1, 3))
        square = quad()
        given = painted(
            square,
            Input((1.0, 0.5, 1.0), Texture("image:ramp", "rgb", "linear", wrap=("clamp", "clamp"))),
            image("ramp", ramp),
        )
        made = move.mend(given, PLAIN, [Decision("material:m", "paint", "from image")])
        p = next(iter(made.meshes.values())).primitives[0]
        base = made.materials["material:m"].inputs["base_color"]
        assert p.colors is not None
        np.testing.assert_allclose(p.colors[:, 0], square.uvs[0][:, 0], atol=1e-6)
        self.assertEqual((base.texture, base.vertex_color, base.factor), (None, True, (1.0, 0.5, 1.0)))
        self.assertLess(loss_as_vertex_colors(given, "material:m"), 0.3)  # a ramp is what corners can hold
        fine = (np.indices((64, 64)).sum(0) // 4 % 2 * 255).astype(np.uint8)[..., None].repeat(3, 2)
        checks = painted(
            square, Input((1.0, 1.0, 1.0), Texture("image:fine", "rgb", "srgb")), image("fine", fine)
        )
        self.assertGreater(loss_as_vertex_colors(checks, "material:m"), 20)

    def test_removed_and_refused(self) -> None:
        given = painted(ball(colors=swirl))
        gone = move.mend(given, PLAIN, [Decision("material:m", "paint", "remove")])
        self.assertIsNone(next(iter(gone.meshes.values())).primitives[0].colors)
        for value in ("from image", "taste"):
            with self.assertRaises(Refused):
                move.mend(given, PLAIN, [Decision("material:m", "paint", value)])
