"""Light at the texels of lightmaps against closed forms, each within 1 % at final quality."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from unittest import TestCase

import numpy as np

from tests.making import material, quad, scene, sky
from trasloco.light.lightmaps.bake_wish import FINAL, Wish
from trasloco.light.lightmaps.baking import gather
from trasloco.light.lightmaps.layout import lay_out
from trasloco.render.flatten import flatten
from trasloco.scene.lit import Environment, Light
from trasloco.scene.model import Material, Primitive, Scene
from trasloco.scene.transforms import looking
from trasloco.sheets.model import Lightmaps

BLACK = {"base_color": (0.0, 0.0, 0.0), "specular": (0.0,)}
ALONE = Lightmaps(taken=True, packing="one a part", largest=64, budget_mib=1.0)


def grey(name: str, albedo: float = 0.5, glow: float = 0.0) -> Material:
    return material(name, base_color=(albedo,) * 3, specular=(0.0,), roughness=(1.0,), emission=(glow,) * 3)


def placed(size: float, to: str, move: tuple[float, float, float], look: str = "up") -> Primitive:
    """A square of a material that looks up, down, or along +X, moved."""
    one = quad(size, f"material:{to}")
    turn = {"up": np.eye(3), "down": np.diag([1, -1, -1]), "x": np.array([[0, 1, 0], [-1, 0, 0], [0, 0, 1]])}[
        look
    ].astype(np.float32)
    assert one.normals is not None
    return replace(
        one,
        positions=(one.positions @ turn.T + np.array(move, np.float32)).astype(np.float32),
        normals=one.normals @ turn.T,
    )


@dataclass(frozen=True)
class Lit:
    """Light on a square part: its texels (H, W, 3), and how much of each lies on it (H, W)."""

    lux: np.ndarray
    weight: np.ndarray

    @property
    def mean(self) -> float:
        return float((self.lux.mean(axis=-1) * self.weight).sum() / self.weight.sum())

    @property
    def centre(self) -> float:
        rows, columns = np.nonzero(self.weight > 0.5)
        y, x = int(rows.mean()), int(columns.mean())
        return float(self.lux[y - 1 : y + 2, x - 1 : x + 2].mean())


def light_on(
    given: Scene, part: str, bounces: int = 0, samples: int = FINAL, side: int = 16, size: float = 1.0
) -> Lit:
    """Illuminance of a square part; ``size`` is its side in metres and ``side`` the least texels on it."""
    others = frozenset(node.id for node in given.parts() if node.name != part)
    laid = lay_out(
        given,
        ALONE,
        Wish(True, samples, bounces, left_out=others, density={f"part:{part}": side / size}, budget_mib=1.0),
    )
    found = gather(laid, Wish(True, samples, bounces))[0]
    corners = found.covered.texels.corners.reshape(-1, 2)
    along = [
        np.clip(
            np.minimum(np.arange(n) + 1, corners[:, k].max()) - np.maximum(np.arange(n), corners[:, k].min()),
            0,
            1,
        )
        for k, n in enumerate(laid.sizes[0])
    ]
    return Lit(found.lux, np.outer(along[1], along[0]))


class ClosedForms(TestCase):
    def near(self, found: float, wanted: float) -> None:
        self.assertAlmostEqual(found / wanted, 1.0, delta=0.01)

    def test_a_plane_under_a_constant_sky_receives_pi_times_its_radiance(self) -> None:
        given = scene(
            quad(2),
            materials=(material(**BLACK),),
            images=(sky(3.0),),
            environment=Environment("image:sky", 2.0),
            names=("Floor",),
        )
        found = light_on(given, "Floor", size=2)
        self.near(found.mean, math.pi * 6)
        np.testing.assert_allclose(found.lux[found.weight > 0], math.pi * 6, rtol=0.025)

    def test_a_plane_under_half_a_sky_behind_a_wall(self) -> None:
        # A wall without end of height h at distance x hides (1 - x / sqrt(x^2 + h^2)) / 2 of what a floor
        # would receive.
        h, far = 4.0, 4000.0
        corners = np.array([[0, 0, -far], [0, h, -far], [0, 0, far], [0, h, far]], np.float32)
        wall = Primitive(corners, np.array([[0, 1, 2], [2, 1, 3]], np.uint32), None, material="material:wall")
        floor = placed(1.0, "floor", (0.75, 0.0, 0.0))
        double = replace(material("wall", **BLACK), double_sided=True)
        given = scene(
            floor,
            wall,
            materials=(material("floor", **BLACK), double),
            images=(sky(1.0),),
            environment=Environment("image:sky"),
            names=("Floor", "Wall"),
        )
        x = np.linspace(0.25, 1.25, 401)
        hidden = (1 - x / np.sqrt(x**2 + h**2)) / 2
        self.near(light_on(given, "Floor").mean, math.pi * float((1 - hidden).mean()))

    def test_parallel_and_perpendicular_plates_by_their_form_factors(self) -> None:
        # Unit squares face to face at distance 1: 0.19982; sharing an edge at a right angle: 0.20004.
        floor, lid = placed(1.0, "floor", (0, 0, 0)), placed(1.0, "lamp", (0, 1, 0), "down")
        materials = (material("floor", **BLACK), grey("lamp", 0.0, 5.0))
        self.near(
            light_on(scene(floor, lid, materials=materials, names=("Floor", "Lid")), "Floor").mean,
            5 * math.pi * 0.19982,
        )
        side = placed(1.0, "lamp", (-0.5, 0.5, 0), "x")
        self.near(
            light_on(scene(floor, side, materials=materials, names=("Floor", "Side")), "Floor").mean,
            5 * math.pi * 0.20004,
        )

    def test_a_closed_box_takes_in_as_much_as_its_lamp_sends(self) -> None:
        sides: Sequence[tuple[tuple[int, int, int], int]] = [
            ((0, 1, 2), 1),
            ((0, 1, 2), -1),
            ((1, 2, 0), 1),
            ((1, 2, 0), -1),
            ((2, 0, 1), 1),
            ((2, 0, 1), -1),
        ]
        parts = []
        for number, (axes, sign) in enumerate(sides):
            flat = np.array([[-1, -1], [1, -1], [-1, 1], [1, 1]], np.float32) / 2
            corners = np.zeros((4, 3), np.float32)
            corners[:, axes[0]], corners[:, axes[1]], corners[:, axes[2]] = flat[:, 0], flat[:, 1], sign / 2
            indices = np.array([[0, 1, 2], [2, 1, 3]], np.uint32)
            parts.append(
                Primitive(
                    corners,
                    indices[:, ::-1] if sign > 0 else indices,
                    None,
                    material="material:lamp" if number == 0 else "material:wall",
                )
            )
        given = scene(
            *parts,
            materials=(grey("wall", 0.5), grey("lamp", 0.5, 4.0)),
            names=tuple(f"Side {k}" for k in range(6)),
        )
        taken = sum(light_on(given, f"Side {k}", 14, FINAL, 8).mean * 0.5 for k in range(6))
        self.near(taken, 4 * math.pi)

    def test_one_and_two_bounces_between_two_plates(self) -> None:
        low, high = placed(400.0, "lamp", (0, 0, 0)), placed(400.0, "lid", (0, 1, 0), "down")
        given = scene(low, high, materials=(grey("lamp", 0.6, 2.0), grey("lid", 0.5)), names=("Low", "High"))

        self.near(light_on(given, "High", 0, size=400).centre, 2 * math.pi)
        self.near(light_on(given, "Low", 1, size=400).centre, 2 * math.pi * 0.5)
        self.near(light_on(given, "High", 2, size=400).centre, 2 * math.pi * (1 + 0.5 * 0.6))

    def test_lamps_by_their_definitions(self) -> None:
        # 80 cd straight above at 2 m: 20 lux. A sun of 300 lux at 30 degrees from the zenith.
        lamp, sun = (
            Light("light:p", "Lamp", "point", intensity=80.0),
            Light("light:s", "Sun", "sun", intensity=300.0),
        )
        floor = scene(
            placed(0.05, "m", (0, 0, 0)),
            materials=(material(**BLACK),),
            lights=((lamp, looking((0, 2, 0), (0, 0, 0), (0, 0, 1))),),
            names=("Floor",),
        )
        self.near(light_on(floor, "Floor", size=0.05).mean, 20.0)
        floor = scene(
            placed(0.05, "m", (0, 0, 0)),
            materials=(material(**BLACK),),
            lights=((sun, looking((math.tan(math.pi / 6), 1, 0), (0, 0, 0))),),
            names=("Floor",),
        )
        self.near(light_on(floor, "Floor", size=0.05).mean, 300 * math.cos(math.pi / 6))

    def test_an_estimate_goes_on_from_where_it_was(self) -> None:
        given = scene(
            quad(2),
            materials=(grey("m"),),
            images=(sky(3.0),),
            environment=Environment("image:sky", 2.0),
            names=("Floor",),
        )
        laid = lay_out(given, ALONE, Wish(True, density={"part:Floor": 8.0}))
        flat = flatten(laid.scene, "straight")
        whole = gather(laid, Wish(True, 32), flat=flat)[0]
        half = gather(laid, Wish(True, 16), flat=flat)
        again = gather(laid, Wish(True, 32), start=half, flat=flat)[0]
        for name in ("lux", "straight", "toward"):
            np.testing.assert_allclose(
                getattr(again, name), getattr(whole, name), rtol=1e-4, atol=1e-5, err_msg=name
            )
