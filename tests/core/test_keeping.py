"""What is kept, by whom, and what is not."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from unittest import TestCase
from unittest.mock import patch

import numpy as np

from tests.making import image, material, noise_image, quad, scene
from trasloco.fit import carry as carrying
from trasloco.formats.gltf_write import write_glb
from trasloco.inventory.seeing import sight_of
from trasloco.keeping import FEW, keeping, kept, kept_of_late, recalled, remembered, with_keeper
from trasloco.results.route import Route
from trasloco.results.store import MemoryStore
from trasloco.scene.digest import digest
from trasloco.scene.model import Texture
from trasloco.sheets.library import built_in_sheets


class Counted:
    """Makes something, and counts how often."""

    def __init__(self, made: object = "made") -> None:
        self.made, self.times = made, 0

    def __call__(self) -> object:
        self.times += 1
        return self.made


class Keeping(TestCase):
    def test_nobody_keeps_nothing(self) -> None:
        make = Counted()
        with keeping(None):
            self.assertEqual([kept("thing", "1", make), kept("thing", "1", make)], ["made", "made"])
            remembered("thing", "1", "told")
            self.assertIsNone(recalled("thing", "1"))
        self.assertEqual(make.times, 2)

    def test_a_keeper_keeps_by_kind_and_key(self) -> None:
        make, store = Counted(), MemoryStore()
        with keeping(store):
            for _ in range(3):
                self.assertEqual(kept("thing", "1", make), "made")
            kept("thing", "2", make)
            kept("other", "1", make)
            self.assertEqual((make.times, recalled("thing", "2")), (3, "made"))
            with keeping(None):
                kept("thing", "1", make)
            kept("thing", "1", make)
        self.assertEqual(make.times, 4)
        with keeping(MemoryStore()):
            kept("thing", "1", make)
        self.assertEqual(make.times, 5, "another keeper knows nothing of it")

    def test_threads_keep_for_whoever_started_them(self) -> None:
        make, store = Counted(), MemoryStore()
        with keeping(store), ThreadPoolExecutor(1) as pool:
            for _ in range(3):
                pool.submit(with_keeper(lambda: kept("thing", "1", make))).result()
            self.assertEqual(make.times, 1)
            pool.submit(lambda: kept("thing", "1", make)).result()
        self.assertEqual(make.times, 2, "a thread by itself has no keeper")

    def test_of_what_is_large_the_last_few_are_kept(self) -> None:
        store, made = MemoryStore(), [Counted(np.full(10, k)) for k in range(FEW + 2)]
        with keeping(store):
            for k, make in enumerate(made):
                kept_of_late("texels", str(k), make)
            kept_of_late("texels", str(FEW + 1), made[-1])
            kept_of_late("texels", "0", made[0])
        self.assertEqual([make.times for make in made], [2, *[1] * (FEW + 1)])
        self.assertEqual(len(store.memory), 1)

    def test_what_is_made_in_a_store_keeps_its_parts_there(self) -> None:
        store, make = MemoryStore(), Counted()
        for number in range(2):
            store.get_or_make(f"result {number}", lambda: kept("part", "1", make))
        self.assertEqual(make.times, 1)

    def test_an_image_is_looked_at_once_for_its_content(self) -> None:
        first = noise_image("first", 32, 32)
        again = image("again", np.zeros((4, 4, 3), np.uint8))
        store = MemoryStore()
        with keeping(store):
            self.assertIs(sight_of(first), sight_of(first))
            self.assertIsNot(sight_of(first), sight_of(again))
            store.memory.clear()
            held = sight_of(first)
        with keeping(None):
            fresh = sight_of(first)
        np.testing.assert_array_equal(held.mean, fresh.mean)


class Revisions(TestCase):
    def delivery(self, seed: int) -> dict[str, bytes]:
        """Three materials with two images each, the second read as roughness and metalness; one image is
        another for another seed.
        """
        pictures = [noise_image(f"p{k}", 32, 32, 3, seed=k if k else seed) for k in range(6)]
        materials = [
            material(
                f"m{k}",
                base_color=Texture(pictures[2 * k].id, "rgb", "srgb"),
                roughness=Texture(pictures[2 * k + 1].id, "r"),
            )
            for k in range(3)
        ]
        slots = [quad(1, m.id) for m in materials]
        return {"stage.glb": write_glb(scene(*slots, materials=tuple(materials), images=tuple(pictures)))}

    def test_a_second_revision_with_one_image_changed_writes_one_image(self) -> None:
        store, sheets = MemoryStore(), built_in_sheets()
        written: list[str] = []
        real = carrying._write

        def counted(planned, *given):  # type: ignore[no-untyped-def]
            written.append(planned.path)
            return real(planned, *given)

        with patch.object(carrying, "_write", counted), keeping(store):
            for seed, count in ((100, 9), (200, 1), (200, 0)):
                files = self.delivery(seed)
                digests = {path: digest(data) for path, data in files.items()}
                written.clear()
                held = files
                route = Route(digests, lambda held=held: held, sheets["plain"], sheets["fornace"], [], store)  # type: ignore[misc]
                route.package()
                self.assertEqual(len(written), count, written)
