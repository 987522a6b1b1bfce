"""Images are decoded once, however many threads ask for them, and ahead of who draws them."""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor
from typing import Any
from unittest import TestCase, mock

import numpy as np

from trasloco.errors import Refused
from trasloco.scene import images
from trasloco.scene.images import Image, decode_ahead, encode, identify, pixels


def noise(seed: int) -> Image:
    texels = np.random.default_rng(seed).integers(0, 256, (16, 16, 3), np.uint8)
    return identify(f"image:{seed}", f"{seed}.png", f"{seed}.png", encode(texels, "png"))


class Decoding(TestCase):
    def setUp(self) -> None:
        self.decoded: list[str] = []
        real = images._decode

        def slowly(image: Image) -> Any:
            self.decoded.append(image.id)
            time.sleep(0.05)
            return real(image)

        patch = mock.patch.object(images, "_decode", slowly)
        patch.start()
        self.addCleanup(patch.stop)

    def test_threads_that_ask_at_once_share_one_decoding(self) -> None:
        image = noise(time.time_ns() % 2**31)
        with ThreadPoolExecutor(6) as pool:
            found = list(pool.map(lambda _: pixels(image), range(6)))
        self.assertEqual(self.decoded, [image.id])
        self.assertTrue(all(one is found[0] for one in found))
        self.assertEqual(images._HELD.making, {})

    def test_what_was_decoded_ahead_is_there(self) -> None:
        wanted = [noise(time.time_ns() % 2**31 + k) for k in range(3)]
        decode_ahead(wanted)
        for image in wanted:
            self.assertEqual(pixels(image).shape, (16, 16, 3))
        self.assertEqual(sorted(self.decoded), sorted(image.id for image in wanted))

    def test_what_cannot_be_decoded_is_told_to_who_asks(self) -> None:
        image = noise(time.time_ns() % 2**31)
        with mock.patch.object(images, "_decode", side_effect=Refused("no", image.name, "again")):
            decode_ahead([image])
            for _ in range(2):
                with self.assertRaises(Refused):
                    pixels(image)
        self.assertEqual(images._HELD.making, {})

    def test_no_more_than_fits_is_decoded_ahead(self) -> None:
        wanted = [noise(time.time_ns() % 2**31 + k) for k in range(4)]
        with mock.patch.object(images._HELD, "bound", 2 * 2 * 16 * 16 * 3 + 2):
            decode_ahead(wanted)
            time.sleep(0.4)
        self.assertEqual(len(self.decoded), 2)
