"""PNG files as readers that are not ours take them."""

from __future__ import annotations

import io
import zlib
from typing import Any

import numpy as np
from django.test import SimpleTestCase
from PIL import Image

from trasloco.scene.images import encode, identify, pixels
from trasloco.scene.png import filter_rows, png_file

RNG = np.random.default_rng(7)
HEIGHT, WIDTH = 37, 53


def smooth(channels: int, dtype: Any) -> Any:
    """Ramps, on which every filter but none pays somewhere."""
    y, x = np.mgrid[:HEIGHT, :WIDTH]
    ramps = np.stack([(x * (k + 1) + y * (3 - k)) * 3 for k in range(channels)], axis=2)
    return (ramps % np.iinfo(dtype).max).astype(dtype)


def noisy(channels: int, dtype: Any) -> Any:
    return RNG.integers(0, np.iinfo(dtype).max, (HEIGHT, WIDTH, channels), dtype, endpoint=True)


def chunks(data: bytes) -> list[tuple[bytes, bytes]]:
    """Kinds and contents; every checksum is looked at."""
    found, at = [], 8
    while at < len(data):
        size = int.from_bytes(data[at : at + 4], "big")
        kind, content = data[at + 4 : at + 8], data[at + 8 : at + 8 + size]
        assert zlib.crc32(kind + content) == int.from_bytes(data[at + 8 + size : at + 12 + size], "big")
        found.append((kind, content))
        at += 12 + size
    return found


class PngFiles(SimpleTestCase):
    def test_two_readers_find_the_same_codes(self) -> None:
        for make in (smooth, noisy):
            for dtype in (np.uint8, np.uint16):
                for channels in (1, 2, 3, 4):
                    with self.subTest(make=make.__name__, dtype=dtype.__name__, channels=channels):
                        texels = make(channels, dtype)
                        data = png_file(texels)
                        np.testing.assert_array_equal(pixels(identify("a", "a.png", "a.png", data)), texels)
                        if dtype is np.uint8:
                            read = np.asarray(Image.open(io.BytesIO(data))).reshape(texels.shape)
                            np.testing.assert_array_equal(read, texels)

    def test_sixteen_bits_of_grey_by_the_second_reader_too(self) -> None:
        texels = noisy(1, np.uint16)
        np.testing.assert_array_equal(np.asarray(Image.open(io.BytesIO(png_file(texels)))), texels[..., 0])

    def test_one_texel_and_one_row(self) -> None:
        for shape in ((1, 1, 3), (1, 9, 4), (9, 1, 1)):
            texels = RNG.integers(0, 256, shape, np.uint8)
            read = np.asarray(Image.open(io.BytesIO(png_file(texels)))).reshape(shape)
            np.testing.assert_array_equal(read, texels)

    def test_only_colours_are_called_srgb(self) -> None:
        texels = noisy(3, np.uint8)
        self.assertEqual(
            [k for k, _ in chunks(encode(texels, "png", True))], [b"IHDR", b"sRGB", b"IDAT", b"IEND"]
        )
        self.assertEqual([k for k, _ in chunks(encode(texels, "png"))], [b"IHDR", b"IDAT", b"IEND"])

    def test_the_same_texels_make_the_same_bytes(self) -> None:
        texels = noisy(3, np.uint16)
        self.assertEqual(png_file(texels), png_file(texels.copy()))

    def test_each_row_takes_the_filter_that_leaves_least(self) -> None:
        """Rows of which one filter foresees every byte: itself, the left, above, and Paeth's of a plane."""
        left = np.full((1, 30), 200, np.uint8)
        out = np.empty((1, 31), np.uint8)
        filter_rows(left, 1, out)
        self.assertEqual((out[0, 0], out[0, 1:].tolist()), (1, [200] + [0] * 29))
        above = np.repeat(RNG.integers(60, 200, (1, 30), np.uint8), 2, axis=0)
        out = np.empty((2, 31), np.uint8)
        filter_rows(above, 1, out)
        self.assertEqual((out[1, 0], out[1, 1:].tolist()), (2, [0] * 30))

    def test_floating_texels_still_become_a_file(self) -> None:
        data = encode(np.full((4, 4, 3), 0.5, np.float32), "png")
        self.assertEqual(int(pixels(identify("a", "a.png", "a.png", data))[0, 0, 0]), 128)

    def test_no_larger_than_zlib_makes_it(self) -> None:
        """Within a twentieth of zlib's own level 4 on the same filtered rows."""
        for texels in (smooth(3, np.uint8), noisy(3, np.uint8) // 16 * 16):
            rows = texels.reshape(HEIGHT, -1)
            out = np.empty((HEIGHT, rows.shape[1] + 1), np.uint8)
            filter_rows(rows, 3, out)
            self.assertLess(len(png_file(texels)), 1.05 * (len(zlib.compress(out.tobytes(), 4)) + 57))
