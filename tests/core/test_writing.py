"""Image files as small as a sheet's loss allows, and KTX2 in both of its codecs: measured with libraries that
are not ours, headers by the KTX specification.
"""

from __future__ import annotations

import io
import struct
import tempfile
from unittest import TestCase

import numpy as np
import OpenImageIO as oiio
from PIL import Image as Pillow
from skimage.color import deltaE_ciede2000, rgb2lab

from tests.carried import unaccounted
from tests.core.test_arrival import judged
from tests.making import image, material, quad, scene
from trasloco import move
from trasloco.fit.model import PlannedImage
from trasloco.fit.writing import _QUALITIES, mean_loss, written
from trasloco.scene.coding import Coding
from trasloco.scene.images import encode, identify, pixels
from trasloco.scene.model import Texture
from trasloco.sheets.library import sheet_named
from trasloco.sheets.text import changed

ETC1S, UASTC, BASIS_LZ, ZSTD = 163, 166, 1, 2


def cloth(channels: int = 3, side: int = 128) -> np.ndarray:
    """Smooth colours with a weave and some noise, as images of cloth have them."""
    rng = np.random.default_rng(5)
    y, x = np.mgrid[0:side, 0:side] / side
    planes = [
        0.5 + 0.3 * np.sin(6 * x + c) * np.cos(4 * y - c) + 0.08 * np.sin(90 * x) for c in range(channels)
    ]
    noisy = np.stack(planes, axis=-1) + rng.normal(0, 0.02, (side, side, 1))
    return np.ascontiguousarray((np.clip(noisy, 0, 1) * 255).round().astype(np.uint8))


def planned(kind: str, loss: float, encoding: str = "srgb", basis: str = "uastc") -> PlannedImage:
    return PlannedImage(
        f"a.{kind}",
        "m",
        "color",
        128,
        128,
        8,
        kind,
        encoding,
        {},
        {},
        coding=Coding(basis),  # type: ignore[arg-type]
        loss=loss,
    )


def apart(meant: np.ndarray, data: bytes) -> float:
    """CIEDE2000 in the mean, decoded and measured by others."""
    got = np.asarray(Pillow.open(io.BytesIO(data)).convert("RGB"))
    return float(deltaE_ciede2000(rgb2lab(meant / 255), rgb2lab(got / 255)).mean())


def facts(data: bytes) -> tuple[int, int]:
    """Supercompression scheme and colour model of a KTX2 file, where the specification has them."""
    (scheme,) = struct.unpack_from("<I", data, 44)
    (described,) = struct.unpack_from("<I", data, 48)
    return scheme, data[described + 12]


class Losses(TestCase):
    def test_the_smallest_file_that_keeps_it(self) -> None:
        texels = cloth()
        usual = encode(texels, "jpg", True)
        for loss in (0.5, 1.5, 4.0):
            with self.subTest(loss):
                made = written(texels, planned("jpg", loss))
                self.assertLessEqual(apart(texels, made), loss + 0.02)
                step = next(
                    k for k, q in enumerate(_QUALITIES["jpg"]) if encode(texels, "jpg", True, q) == made
                )
                if step:
                    below = encode(texels, "jpg", True, _QUALITIES["jpg"][step - 1])
                    self.assertGreater(apart(texels, below), loss - 0.02)
        self.assertLess(len(written(texels, planned("jpg", 4.0))), len(usual) / 2)
        self.assertEqual(written(texels, planned("jpg", 0.0)), usual)

    def test_a_loss_that_cannot_be_kept_gives_the_best_there_is(self) -> None:
        texels = np.random.default_rng(1).integers(0, 256, (64, 64, 3), np.uint8)
        best = encode(texels, "ktx2", True, 100, Coding("etc1s"))
        self.assertEqual(written(texels, planned("ktx2", 0.01, basis="etc1s")), best)

    def test_what_is_packed_side_by_side_is_measured_apart(self) -> None:
        meant = np.full((8, 8, 3), 128, np.uint8)
        got = meant.copy()
        got[..., 2] = 138
        grey = float(deltaE_ciede2000(rgb2lab([[[128 / 255] * 3]]), rgb2lab([[[138 / 255] * 3]]))[0, 0])
        self.assertAlmostEqual(mean_loss(meant, got, srgb=False), grey, places=2)
        blue = deltaE_ciede2000(rgb2lab(meant / 255), rgb2lab(got / 255)).mean()
        self.assertAlmostEqual(mean_loss(meant, got, srgb=True), float(blue), places=2)


class Codecs(TestCase):
    def test_each_says_what_it_is_and_is_read_back(self) -> None:
        texels = cloth(side=256)
        sizes = {}
        for basis, expected in (("uastc", (ZSTD, UASTC)), ("etc1s", (BASIS_LZ, ETC1S))):
            data = encode(texels, "ktx2", True, 100, Coding(basis))  # type: ignore[arg-type]
            self.assertEqual(facts(data), expected)
            got = pixels(identify("image:a", "a", "a.ktx2", data))[..., :3].astype(int)
            self.assertLess(float(np.abs(got - texels).mean()), 6.0, basis)
            sizes[basis] = len(data)
        self.assertLess(sizes["etc1s"], 0.5 * sizes["uastc"])

    def test_a_package_in_the_smaller_one_is_valid_and_arrives(self) -> None:
        base = sheet_named("taccuino")
        rules = {"kind": "ktx2", "basis": "etc1s", "loss": 3.0, "power_of_two": True}
        there = base.model_copy(update={"images": base.images.model_copy(update=rules)})
        given = scene(
            quad(),
            materials=(material("m", base_color=Texture("image:cloth", "rgb", "srgb")),),
            images=(image("cloth", cloth()),),
        )
        carried = move.carry(given, move.plan(given, sheet_named("plain"), there), there)
        package = move.package(carried, there)
        for data in package.files.values():
            self.assertEqual(judged(data)["numErrors"], 0)
        arrival = move.arrive(package, there)
        texture = arrival.materials[next(iter(arrival.materials))].inputs["base_color"].texture
        assert texture is not None
        delivered = arrival.images[texture.image]
        self.assertEqual((delivered.kind, facts(delivered.data)), ("ktx2", (BASIS_LZ, ETC1S)))
        self.assertLessEqual(mean_loss(cloth(), pixels(delivered)[..., :3], True), 3.0)


class Levels(TestCase):
    def test_smaller_levels_are_in_the_file_or_left_out(self) -> None:
        """levelCount of the KTX 2.0 header, section 3.8: 1 + floor(log2(128)) levels of a square of 128
        texels.
        """
        for levels, count in ((True, 8), (False, 1)):
            data = encode(cloth(), "ktx2", True, None, Coding(levels=levels))
            (found,) = struct.unpack_from("<I", data, 40)
            self.assertEqual(found, count)
            self.assertEqual(pixels(identify("image:a", "a", "a.ktx2", data)).shape[:2], (128, 128))


class Light(TestCase):
    """EXR holds light as it is."""

    def sent(self, texels: np.ndarray, kind: str, **more: object) -> tuple[np.ndarray, str]:
        """What arrives of an emission image in EXR, read by OpenImageIO, and how the crossing is marked."""
        glow = image("glow", texels, kind)
        given = scene(
            quad(),
            materials=(
                material(emission=Texture("image:glow", "rgb", "srgb" if kind == "png" else "linear")),
            ),
            images=(glow,),
        )
        sheet = changed(sheet_named("fornace"), {"images.kind": "exr", "images.power_of_two": False, **more})
        carried = move.carry(given, move.plan(given, sheet_named("plain"), sheet), sheet)
        (file,) = carried.images.values()
        (crossing,) = (c for c in carried.plan.crossings if c.name == "emission")
        self.assertEqual(unaccounted(given, sheet), [])
        with tempfile.NamedTemporaryFile(suffix=".exr") as held:
            held.write(file.data)
            held.flush()
            reader = oiio.ImageInput.open(held.name)
            self.assertEqual(str(reader.spec().format), "half")
            found = reader.read_image(0, 0, 0, 3, oiio.FLOAT)
            reader.close()
        return np.asarray(found), crossing.mark

    def test_what_is_brighter_than_one_stays_so(self) -> None:
        texels = np.random.default_rng(8).uniform(0, 40, (16, 16, 3)).astype(np.float32)
        found, mark = self.sent(texels, "exr")
        self.assertLessEqual(float(np.abs(found / texels - 1).max()), 2**-10)
        self.assertEqual(mark, "close")

    def test_codes_of_eight_bits_come_back(self) -> None:
        """Half floats are finer than eight bits everywhere (IEEE 754: eleven bits of every value)."""
        texels = cloth(3, 64)
        found, mark = self.sent(texels, "png")
        linear = np.where(
            texels / 255 <= 0.04045, texels / 255 / 12.92, ((texels / 255 + 0.055) / 1.055) ** 2.4
        )
        self.assertLessEqual(float(np.abs(found - linear).max()), 2**-11 * float(linear.max()) + 1e-6)
        self.assertEqual(mark, "exact")

    def test_a_smaller_size_is_not_cut_either(self) -> None:
        texels = np.full((32, 32, 3), 12.5, np.float32)
        found, _ = self.sent(texels, "exr", **{"images.largest": 32, "images.power_of_two": True})
        self.assertTrue(np.allclose(found, 12.5))
