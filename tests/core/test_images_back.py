"""Images that were painted over at the destination and come back: what is delivered from them arrives as it
was painted, and what was not painted is as it was at the source.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from unittest import TestCase

import numpy as np

from tests.core.test_way_back import SHEETS, moved
from tests.everything import everything
from tests.making import image, material, quad, scene
from trasloco.fit.crossings import baked
from trasloco.fit.formulas import codes as do
from trasloco.outside.came import Came
from trasloco.outside.way_back import way_back
from trasloco.scene.color import linear_to_srgb, srgb_to_linear
from trasloco.scene.images import encode, identify, pixels, unit_floats
from trasloco.scene.model import Decision, Input, Scene, Texture
from trasloco.sheets.text import changed

WHERE = (slice(0, 7), slice(2, 9))


def painted(arrival: Scene, codes: int = 128) -> Scene:
    """Every image with a corner of one grey."""
    images = {}
    for id, one in arrival.images.items():
        texels = pixels(one).copy()
        if texels.dtype.kind == "u" and min(texels.shape[:2]) >= 8:
            full = np.iinfo(texels.dtype).max
            texels[WHERE][..., :3] = round(codes / 255 * full)
            one = identify(id, one.name, one.path, encode(np.ascontiguousarray(texels), "png"))
        images[id] = one
    return replace(arrival, images=images)


def taken(given: Scene, rows: list[Came]) -> tuple[Scene, tuple[Decision, ...]]:
    """The source with the images that came back, and what lets them be read."""
    images, decisions = dict(given.images), []
    for row in rows:
        if row.image is not None:
            one = row.image
            id = f"image:{one.path}"
            images[id] = identify(id, one.path, one.path, one.data)
            value = {"image": id, "channels": one.channels, "invert": one.invert}
            decisions.append(Decision(one.target, "image", value))
    return replace(given, images=images), tuple(decisions)


def plane(arrival: Scene, material: str, name: str) -> np.ndarray:
    given = arrival.materials[material].inputs[name]
    assert given.texture is not None
    return unit_floats(do.extract(pixels(arrival.images[given.texture.image]), given.texture.channels))


class Everywhere(TestCase):
    def test_what_was_painted_arrives_as_painted_and_the_rest_as_it_was(self) -> None:
        """Within four codes of eight bits: divided by a tint, turned, packed and rounded twice."""
        said: Counter[str] = Counter()
        for name, sheet in SHEETS.items():
            if sheet.layout is None or sheet.images.kind in ("jpg", "ktx2", "dds"):
                continue
            for seed in range(3):
                given = everything(seed)
                reference, plan, sent = moved(given, sheet)
                back = painted(sent)
                rows = [r for r in way_back(reference, plan, sent, back, sheet) if r.kind == "image"]
                said.update(row.why or "whole" for row in rows if row.image is None)
                backs = [row for row in rows if row.image is not None]
                again, decisions = taken(given, backs)
                _, _, arrival = moved(again, sheet, decisions)
                for row in backs:
                    assert row.image is not None
                    said["taken"] += 1
                    said["compared"] += self._arrives(sent, back, arrival, row, f"{name} {seed}")
        self.assertGreater(said["taken"], 20, said)
        self.assertGreaterEqual(said["compared"], said["taken"], said)

    def _arrives(self, sent: Scene, back: Scene, arrival: Scene, row: Came, words: str) -> int:
        """How many planes were compared."""
        assert row.image is not None
        compared = 0
        name = row.image.target.rpartition("/")[2]
        pairs = [
            (id, other)
            for id, one in sent.materials.items()
            for other in one.inputs
            if one.name == row.name and other == name and one.inputs[other].texture is not None
        ]
        for id, other in pairs:
            if id not in arrival.materials or arrival.materials[id].inputs[other].texture is None:
                continue
            wanted, got, was = (plane(one, id, other) for one in (back, arrival, sent))
            if wanted.shape != got.shape:
                continue
            compared += 1
            if "as fine as" in row.why:  # resampled on its way: its middle is what was painted
                inner = np.abs(wanted - got)[2:5, 4:7]
                self.assertLess(float(inner.max()), 12 / 255, f"{words} {row.name} {other}")
                continue
            off = np.abs(wanted - got)
            self.assertLessEqual(float(off.max()), 4.01 / 255, f"{words} {row.name} {other}")
            same = np.abs(wanted - was) == 0
            self.assertLessEqual(float(np.abs(got - was)[same].max(initial=0)), 1.01 / 255)
        return compared


class Steps(TestCase):
    def test_gloss_that_was_painted_as_roughness(self) -> None:
        """Roughness 0.25 painted over gloss: gloss 0.75 at the source, in the image that it is read from."""
        rng = np.random.default_rng(1)
        gloss = image("gloss", rng.integers(0, 200, (16, 16, 3)).astype(np.uint8))
        rough = Input((1.0,), Texture(gloss.id, "g", invert=True))
        given = scene(quad(1.0, "material:m"), materials=(material("m", roughness=rough),), images=(gloss,))
        reference, plan, sent = moved(given, SHEETS["taccuino"])
        back = painted(sent, 64)
        rows = [
            r
            for r in way_back(reference, plan, sent, back, SHEETS["taccuino"])
            if r.kind == "image" and "rough" in r.what
        ]
        (row,) = rows
        assert row.image is not None
        self.assertEqual((row.image.channels, row.image.invert), ("r", True))
        made = pixels(identify("image:x", "x.png", "x.png", row.image.data))[..., 0]
        # What was painted as it was within a code is as it was.
        np.testing.assert_allclose(made[WHERE].astype(int), 255 - 64, atol=1)
        own = pixels(gloss)[..., 1]
        outside = np.ones((16, 16), bool)
        outside[WHERE] = False
        np.testing.assert_array_equal(made[outside], own[outside])
        self.assertAlmostEqual(row.image.share, 49 / 256, delta=0.01)

    def test_colour_that_was_painted_over_occlusion(self) -> None:
        """Where half of the light comes in, what was painted is twice as bright at the source, by hand: linear
        0.1 is 0.2 there; and 0.6 cannot be 1.2.
        """
        color, shade = np.full((16, 16, 3), 90, np.uint8), np.full((16, 16, 3), 255, np.uint8)
        shade[:, :8] = 128  # 0.502 of the light
        base, occlusion = image("base", color), image("occlusion", shade)
        inputs = {
            "base_color": Input((1.0,) * 3, Texture(base.id, "rgb", "srgb")),
            "occlusion": Input((1.0,), Texture(occlusion.id, "r")),
        }
        given = scene(quad(1.0, "material:m"), materials=(material("m", **inputs),), images=(base, occlusion))
        sheet = changed(SHEETS["fornace"], {"materials.occlusion_multiplied": True})
        for light, wanted, clips in ((0.1, 0.1 / (128 / 255), False), (0.6, 1.0, True)):
            reference, plan, sent = moved(given, sheet)
            back = painted(sent, round(255 * float(linear_to_srgb(np.float32(light)))))
            (row,) = (r for r in way_back(reference, plan, sent, back, sheet) if r.kind == "image")
            assert row.image is not None
            self.assertEqual("as bright" in row.why, clips)
            made = pixels(identify("image:x", "x.png", "x.png", row.image.data))
            dark, lit = made[2, 4], made[2, 8]
            np.testing.assert_allclose(srgb_to_linear(dark / np.float32(255)), wanted, rtol=0.03)
            np.testing.assert_allclose(srgb_to_linear(lit / np.float32(255)), light, rtol=0.03)
            np.testing.assert_array_equal(made[8:], color[8:])

    def test_what_stands_for_several_is_told_and_not_taken(self) -> None:
        plain = image("plain", np.full((16, 16, 3), 200, np.uint8))
        color = Input((1.0, 1.0, 1.0), Texture(plain.id, "rgb", "srgb"), vertex_color=True)
        given = scene(
            replace(quad(1.0, "material:m"), colors=np.random.default_rng(2).random((4, 4), np.float32)),
            materials=(material("m", base_color=color),),
            images=(plain,),
        )
        drawn = 0
        for sheet in (one for one in SHEETS.values() if one.layout is not None):
            reference, plan, sent = moved(given, sheet)
            if not any(baked(one) for one in plan.crossings):
                continue
            drawn += 1
            rows = way_back(reference, plan, sent, painted(sent), sheet)
            row = next(one for one in rows if one.kind == "image")
            self.assertIsNone(row.image)
            self.assertIn("drawn anew", row.why)
        self.assertGreater(drawn, 0)
