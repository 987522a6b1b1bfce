"""One input alone on the model: exactly its values, where they lie."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.making import image, material, quad, scene
from trasloco.proof.alone import alone_picture
from trasloco.render.picture import View
from trasloco.scene.model import Input, Scene, Texture
from trasloco.scene.transforms import looking

ABOVE = View("above", looking((0, 2, 0), (0, 0, 0), (0, 0, -1)), 1.0)


def halves() -> Scene:
    texels = np.zeros((64, 64, 3), np.uint8)
    texels[:, :32], texels[:, 32:] = (200, 40, 10), (30, 220, 90)
    made = material(
        base_color=Input((1.0, 1.0, 1.0), Texture("image:h", "rgb", "srgb")),
        roughness=Input((1.0,), Texture("image:h", "g", invert=True)),
        metalness=(0.6,),
        normal=Texture("image:n"),
    )
    return scene(
        quad(4.0),
        materials=(made,),
        images=(image("h", texels), image("n", np.full((8, 8, 3), (128, 200, 220), np.uint8))),
    )


class Alone(TestCase):
    def seen(self, given: Scene, name: str) -> tuple[list[int], list[int]]:
        picture = alone_picture(given, name, ABOVE, 40, 30)
        return picture[15, 6].tolist(), picture[15, 33].tolist()

    def test_colours_numbers_and_directions(self) -> None:
        given = halves()
        for name, left, right in (
            ("base_color", (200, 40, 10), (30, 220, 90)),
            ("roughness", (215,) * 3, (35,) * 3),
            ("metalness", (153,) * 3, (153,) * 3),
            ("clearcoat", (0,) * 3, (0,) * 3),
        ):
            with self.subTest(name):
                for got, wanted in zip(self.seen(given, name), (left, right), strict=True):
                    np.testing.assert_allclose(got, wanted, atol=1)
        vector = np.array([128, 200, 220]) / 255 * 2 - 1
        np.testing.assert_allclose(
            self.seen(given, "normal")[0], (vector / np.linalg.norm(vector) * 0.5 + 0.5) * 255, atol=1.5
        )

    def test_a_cut_out_stays_cut_out_and_the_booth_is_grey(self) -> None:
        given = halves()
        made = given.materials["material:m"]
        cut = replace(
            made, alpha_mode="mask", inputs={**made.inputs, "opacity": Input((1.0,), Texture("image:h", "r"))}
        )
        left, right = self.seen(replace(given, materials={cut.id: cut}), "metalness")
        self.assertEqual((left, right), ([153] * 3, [119] * 3))
