"""Damaged files: no reader crashes, hangs or says nothing. ``make fuzz`` runs the same for longer."""

import io
import os
import random
import resource
import time
import zipfile
from collections.abc import Callable
from pathlib import Path
from unittest import TestCase

import alktx2
import trimesh

from tests.core.reading import RED
from tests.core.test_compressed import CompressedGltf
from tests.core.test_readers import Libraries, collada
from tests.core.test_usd_files import fill_stage, stage_bytes
from tests.making import noise_image
from trasloco.errors import Refused
from trasloco.formats.receive import receive
from trasloco.scene.images import encode, identify, pixels

ROUNDS = int(os.environ.get("FUZZ_ROUNDS", "25"))
SLOWEST_S, MOST_MIB = 10.0, 2048


def damaged(data: bytes, rng: random.Random) -> bytes:
    """The bytes with one to eight faults: cut, flipped, doubled, overwritten, or numbers made enormous."""
    made = bytearray(data)
    for _ in range(rng.randint(1, 8)):
        at = rng.randrange(max(len(made), 1))
        kind = rng.randrange(6)
        if kind == 0:
            del made[at:]
        elif kind == 1 and made:
            made[min(at, len(made) - 1)] ^= 1 << rng.randrange(8)
        elif kind == 2:
            made[at:at] = made[at : at + rng.randint(1, 64)]
        elif kind == 3:
            made[at : at + 4] = rng.choice(
                [b"\xff\xff\xff\xff", b"\0\0\0\0", b"\xff\xff\xff\x7f", b"\0\0\x80\x7f"]
            )
        elif kind == 4:
            made[at : at + rng.randint(1, 16)] = bytes(rng.randrange(256) for _ in range(rng.randint(1, 16)))
        else:
            made[at : at + 1] = rng.choice([b"9999999999", b"-1", b"nan", b"1e999", b'"', b"<", b"{"])
    return bytes(made)


def seeds() -> dict[str, dict[str, bytes]]:
    """A sound small delivery for each reader, the file to be damaged first."""
    box = trimesh.creation.icosphere(subdivisions=1)
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("s.usda", stage_bytes(".usda", fill_stage))
        archive.writestr("media/red.png", RED)
    return {
        "glb": {"a.glb": box.export(file_type="glb")},
        "obj": {"a.obj": box.export(file_type="obj").encode()},
        "ply binary": {"a.ply": trimesh.exchange.ply.export_ply(box)},
        "ply text": {"a.ply": trimesh.exchange.ply.export_ply(box, encoding="ascii")},
        "stl binary": {"a.stl": box.export(file_type="stl")},
        "stl text": {"a.stl": box.export(file_type="stl_ascii").encode()},
        "collada": {"a.dae": collada(), "media/red one.png": RED},
        "materialx": {"a.mtlx": Libraries().library(), "red.png": RED},
        "zip": {"a.zip": packed.getvalue()},
    }


def packed_seeds() -> dict[str, dict[str, bytes]]:
    """Compressed geometry, decoded in programs of their own; the packed buffer is the file to be damaged."""
    made = CompressedGltf()
    return {
        name: {"a.bin": packed, "a.gltf": document}
        for name, (document, packed) in (("draco", made.draco()), ("meshopt", made.meshopt()))
    }


SLOW = {"usd text": ".usda", "usd crate": ".usdc"}


def _memory(name: str) -> float:
    """A figure of this process in MiB."""
    line = next(line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith(name))
    return int(line.split()[1]) / 1024


class Damage(TestCase):
    def hold(self, name: str, act: Callable[[], object]) -> None:
        """The act ends within the time, adds no more than the memory (its programs' included), and refuses in
        whole sentences.
        """
        Path("/proc/self/clear_refs").write_text("5")  # the peak counts from here
        before = _memory("VmRSS")
        children = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
        started = time.monotonic()
        try:
            act()
        except Refused as told:
            self.assertTrue(told.what and told.where and told.remedy, name)
        self.assertLess(time.monotonic() - started, SLOWEST_S, name)
        self.assertLess(_memory("VmHWM") - before, MOST_MIB, name)
        largest = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
        self.assertTrue(
            largest == children or largest < MOST_MIB, name
        )  # a peak of another test's programs is not this act's

    def test_models(self) -> None:
        for name, files in seeds().items():
            rng = random.Random(name)
            first = next(iter(files))
            for number in range(ROUNDS):
                with self.subTest(f"{name} {number}"):
                    self.hold(
                        name,
                        lambda files=files, first=first, rng=rng: receive(
                            {**files, first: damaged(files[first], rng)}
                        ),
                    )  # type: ignore[misc]

    def test_layers(self) -> None:
        for name, suffix in SLOW.items():
            rng = random.Random(name)
            data = stage_bytes(suffix, fill_stage)
            for number in range(max(ROUNDS // 4, 4)):
                with self.subTest(f"{name} {number}"):
                    self.hold(
                        name,
                        lambda data=data, rng=rng, suffix=suffix: receive(
                            {f"a{suffix}": damaged(data, rng), "media/red.png": RED}
                        ),
                    )  # type: ignore[misc]

    def test_packed_geometry(self) -> None:
        for name, files in packed_seeds().items():
            rng = random.Random(name)
            for number in range(max(ROUNDS // 4, 4)):
                with self.subTest(f"{name} {number}"):
                    self.hold(
                        name,
                        lambda files=files, rng=rng: receive(
                            {**files, "a.bin": damaged(files["a.bin"], rng)}
                        ),
                    )  # type: ignore[misc]

    def test_packed_texels(self) -> None:
        rng = random.Random("ktx2")
        data = alktx2.encode_raw_rgba_to_ktx2(bytes(range(256)) * 2, 8, 16, codec="uastc")
        for number in range(max(ROUNDS // 4, 4)):
            with self.subTest(f"ktx2 {number}"):
                self.hold("ktx2", lambda: self.decoded("ktx2", damaged(data, rng)))

    def test_images(self) -> None:
        texels = pixels(noise_image("seed", 16, 16))
        for kind in ("png", "jpg", "tif", "exr", "hdr", "tga", "bmp", "webp"):
            rng = random.Random(kind)
            data = encode(texels, kind)
            for number in range(ROUNDS):
                with self.subTest(f"{kind} {number}"):
                    self.hold(
                        kind, lambda kind=kind, data=data, rng=rng: self.decoded(kind, damaged(data, rng))
                    )  # type: ignore[misc]

    def decoded(self, kind: str, data: bytes) -> None:
        image = identify("i", f"a.{kind}", f"a.{kind}", data)
        if image.usable:
            pixels(image)
        else:
            self.assertTrue(image.problem)
