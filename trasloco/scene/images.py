"""Images as content: encoded bytes with facts, decoded on demand and remembered within a bound."""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, fields
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import OpenImageIO as oiio

from trasloco.at_rest import Bytes, handed, taken
from trasloco.errors import Refused
from trasloco.limits import LIMITS
from trasloco.processors import processors
from trasloco.scene.coding import Coding
from trasloco.scene.dds import dds_file
from trasloco.scene.image_kinds import sniff_image
from trasloco.scene.ktx2 import ktx2_facts, ktx2_file, ktx2_texels
from trasloco.scene.png import MOST_CHANNELS, png_file
from trasloco.scene.texels_held import Held, Pixels, Shared, shared
from trasloco.scene.webp import webp_file

_MOST_HALF = 65504.0
_NO_DATE = "1970:01:01 00:00:00"
"""The largest number a half float holds; a picture of the sun can be brighter."""
_SCRATCH = "/dev/shm" if Path("/dev/shm").is_dir() else None


@dataclass(frozen=True)
class Image:
    """An image file.

    Attributes:
        id: made once from its place in the source.
        name: file name as received.
        path: where it lay in the delivery.
        data: encoded bytes; empty when the file is missing.
        kind: file kind by content, e.g. ``"png"``.
        width, height: texels. channels: 1 to 4. depth: bits a channel. floating: whether values are floating
            point.
        problem: why it cannot be used, empty when it can.
    """

    id: str
    name: str
    path: str
    data: Bytes
    kind: str = ""
    width: int = 0
    height: int = 0
    channels: int = 0
    depth: int = 0
    floating: bool = False
    problem: str = ""

    def __post_init__(self) -> None:
        if isinstance(self.data, memoryview):  # nobody writes to it, so it can be told from others like bytes
            object.__setattr__(self, "data", self.data.toreadonly())

    @property
    def missing(self) -> bool:
        return not self.data

    @property
    def usable(self) -> bool:
        return bool(self.data) and not self.problem

    @property
    def bits(self) -> int:
        """Bits a channel, floats counted as more than any."""
        return 32 if self.floating else self.depth

    @cached_property
    def digest(self) -> str:
        """SHA-256 of the file."""
        return hashlib.sha256(self.data).hexdigest()

    def __reduce_ex__(self, protocol: Any) -> Any:
        """Its bytes are handed over apart where the protocol can, so that they are never copied."""
        told = [getattr(self, field.name) for field in fields(self)]
        told[3] = handed(self.data, protocol)
        return _again, (tuple(told), self.__dict__.get("digest"))


def _again(told: tuple[Any, ...], digest: str | None) -> Image:
    id, name, path, data, *facts = told
    image = Image(id, name, path, taken(data), *facts)
    if digest is not None:
        image.__dict__["digest"] = digest
    return image


class _Scratch:
    """The bytes as a short-lived file, since the image library reads files; in memory where the system
    allows.
    """

    def __init__(self, data: Bytes, suffix: str) -> None:
        handle, self.path = tempfile.mkstemp(suffix="." + suffix, dir=_SCRATCH)
        with os.fdopen(handle, "wb") as file:
            file.write(data)

    def __enter__(self) -> str:
        return self.path

    def __exit__(self, *_: Any) -> None:
        Path(self.path).unlink()


def identify(id: str, name: str, path: str, data: Bytes) -> Image:
    """Read an image's facts from its header.

    A file that cannot be used comes back with its ``problem``, never an exception.
    """
    if not data:
        return Image(id, name, path, data, problem="The file is empty.")
    kind = sniff_image(data)
    if kind is None:
        return Image(id, name, path, data, problem="The content is not an image of a known kind.")
    if kind == "ktx2":
        facts = ktx2_facts(bytes(data))
        return Image(
            id,
            name,
            path,
            data,
            kind,
            facts.width,
            facts.height,
            facts.channels,
            8,
            False,
            facts.problem or _too_big(facts.width, facts.height, 4, len(data)),
        )
    try:
        # A PNG says all of it in its first bytes; other kinds may say it at their end.
        with _Scratch(data[:65536] if kind == "png" else data, kind) as file:
            reader = oiio.ImageInput.open(file)
            if reader is None:
                oiio.geterror()
                return Image(
                    id,
                    name,
                    path,
                    data,
                    kind=kind,
                    problem="The file cannot be decoded; it may be cut short.",
                )
            spec = reader.spec()
            reader.close()
    except UnicodeDecodeError:  # the library's message about a damaged header
        return Image(id, name, path, data, kind=kind, problem="The header of the file is damaged.")
    floating = spec.format.basetype in (oiio.BASETYPE.FLOAT, oiio.BASETYPE.HALF, oiio.BASETYPE.DOUBLE)
    channels, size = min(spec.nchannels, 4), spec.format.size()
    problem = _too_big(spec.width, spec.height, channels * size, len(data)) or _cut_short(data, kind)
    return Image(id, name, path, data, kind, spec.width, spec.height, channels, size * 8, floating, problem)


def _cut_short(data: Bytes, kind: str) -> str:
    """Why a PNG or JPEG cannot be whole, by its own marks: it is told before anybody decodes it."""
    whole = True
    if kind == "png":
        at = 8
        while at + 12 <= len(data) and data[at + 4 : at + 8] != b"IEND":
            at += 12 + int.from_bytes(data[at : at + 4], "big")
        whole = at + 12 <= len(data)
    elif kind == "jpg":
        whole = b"\xff\xd9" in bytes(data[-65536:])
    return "" if whole else "The file is cut short: its end is missing."


def _too_big(width: int, height: int, texel_bytes: int, file_bytes: int) -> str:
    """What is wrong with the size of an image, before anything of it is decoded; nothing where it is well."""
    decoded = width * height * texel_bytes
    if decoded > LIMITS.image_bytes:
        return f"{width} x {height} texels take more than {LIMITS.image_bytes >> 20} MB."
    if decoded > LIMITS.image_freely_bytes and decoded > LIMITS.image_ratio * file_bytes:
        return (
            f"{width} x {height} texels from {max(file_bytes >> 10, 1)} kB say next to nothing. Save it smaller, "
            "or give a number instead."
        )
    if width > LIMITS.image_side or height > LIMITS.image_side or width * height > LIMITS.image_texels:
        return f"{width} x {height} texels is more than the limit of {LIMITS.image_side} a side."
    return ""


def missing_image(id: str, name: str, path: str) -> Image:
    return Image(id, name, path, b"", problem="The file is not in the delivery.")


_HELD = Held(LIMITS.cached_pixels_bytes)
os.register_at_fork(after_in_child=_HELD.after_fork)


def pixels(image: Image, keep: bool = True) -> Pixels:
    """Decoded texels, (H, W, C) read-only: uint8 or uint16 for integer files, float32 for floating ones.
    ``keep`` remembers them for who asks next, in other processes too where they share what they decode.

    Raises:
        Refused: the file is missing or cannot be decoded.
    """
    if not image.usable:
        raise Refused(
            image.problem or "The image cannot be used.",
            image.path or image.name,
            "Relink it to a file that can be read.",
        )
    key = image.digest
    with _HELD.alone(key):
        found = _HELD.get(key)
        if found is not None:
            return found
        others = shared(LIMITS.cached_pixels_bytes)
        decoded = _decoded(image) if others is None else _decoded_by_one(image, others, keep)
        if keep:
            _HELD.put(key, decoded)
        return decoded


def _decoded_by_one(image: Image, others: Shared, keep: bool) -> Pixels:
    with others.alone(image.digest):
        found = others.get(image.digest)
        if found is not None:
            return found
        decoded = _decoded(image)
        return others.put(image.digest, decoded) if keep else decoded


def _decoded(image: Image) -> Pixels:
    decoded = _decode(image)
    decoded.setflags(write=False)
    return decoded


def decode_ahead(images: Iterable[Image]) -> None:
    """Begin to decode images in threads beside, for whoever asks for their texels next. What cannot be
    decoded is told to them.
    """
    wanted, room = [], _HELD.bound // 2
    for image in images:
        room -= image.width * image.height * image.channels * max(image.depth // 8, 1)
        if image.usable and room > 0:
            wanted.append(image)
    pool = ThreadPoolExecutor(min(processors(), max(len(wanted), 1)), thread_name_prefix="decoding")
    for image in wanted:
        pool.submit(pixels, image)
    pool.shutdown(wait=False)


def _decode(image: Image) -> Pixels:
    if image.kind == "ktx2":
        texels = ktx2_texels(bytes(image.data), image.path or image.name)
        if texels.shape[:2] != (image.height, image.width):
            raise Refused(
                "The image is of another size than its header says.", image.name, "Export it again."
            )
        return np.ascontiguousarray(texels[..., : image.channels])
    config = oiio.ImageSpec()
    config.attribute("oiio:UnassociatedAlpha", 1)
    try:
        with _Scratch(image.data, image.kind) as file:
            reader = oiio.ImageInput.open(file, config)
            if reader is None:
                raise Refused("The image cannot be decoded.", image.name, "Export it again.")
            wanted = oiio.FLOAT if image.floating else (oiio.UINT16 if image.depth > 8 else oiio.UINT8)
            array = reader.read_image(0, 0, 0, image.channels, wanted)
            fault = reader.geterror()
            reader.close()
    except UnicodeDecodeError:
        raise Refused("The image cannot be decoded.", image.name, "Export it again.") from None
    if array is None:
        raise Refused(f"The image cannot be decoded ({fault}).", image.name, "Export it again.")
    return np.ascontiguousarray(array.reshape(image.height, image.width, image.channels))


def unit_floats(texels: Pixels) -> npt.NDArray[np.float32]:
    """Integer texels as float32 in [0, 1]; floating texels unchanged."""
    if texels.dtype == np.uint8:
        return texels.astype(np.float32) * np.float32(1 / 255)
    if texels.dtype == np.uint16:
        return texels.astype(np.float32) * np.float32(1 / 65535)
    return texels.astype(np.float32, copy=False)


def encode(
    texels: Pixels, kind: str, srgb: bool = False, quality: int | None = None, coding: Coding | None = None
) -> bytes:
    """Encode (H, W, C) uint8, uint16 or float32 texels as a file of the given kind (png, jpg, exr, hdr, tif,
    tga, webp, ktx2, dds).

    ``quality`` is 1 to 100 for jpg and ktx2, ``coding`` how kinds are compressed that leave a choice.
    ``srgb`` is written down where the kind says it (ktx2, dds, png); codes are never changed. The same texels
    make the same bytes at any hour: where the encoder would write the time down, a fixed one stands.
    """
    height, width, channels = texels.shape
    coding = coding or Coding()
    if kind == "ktx2":
        return ktx2_file(texels, srgb, coding.basis, quality, coding.levels)
    if kind == "dds":
        return dds_file(texels, srgb, coding.blocks, coding.levels)
    if kind == "webp":
        return webp_file(texels)
    if kind == "png" and texels.dtype in (np.uint8, np.uint16) and 0 < channels <= MOST_CHANNELS:
        return png_file(texels, srgb)
    basetype = {np.dtype(np.uint8): oiio.UINT8, np.dtype(np.uint16): oiio.UINT16}.get(
        texels.dtype, oiio.FLOAT
    )
    if kind == "exr":
        basetype = oiio.HALF if not texels.size or float(np.nanmax(texels)) <= _MOST_HALF else oiio.FLOAT
    with tempfile.TemporaryDirectory(dir=_SCRATCH) as folder:
        path = str(Path(folder) / f"image.{kind}")
        writer = oiio.ImageOutput.create(path)
        if writer is None:
            raise Refused(
                f"Images of the kind {kind} cannot be written.", kind, "Choose png, jpg, tif, exr or hdr."
            )
        spec = oiio.ImageSpec(width, height, channels, basetype)
        if kind == "jpg":
            spec.attribute("compression", f"jpeg:{95 if quality is None else quality}")
            if not srgb:  # channels that say different things do not bleed into one another
                spec.attribute("jpeg:subsampling", "4:4:4")
        if kind in ("exr", "tif"):
            spec.attribute("DateTime", _NO_DATE)
        spec.attribute("oiio:UnassociatedAlpha", 1)
        writer.open(path, spec)
        writer.write_image(np.ascontiguousarray(texels))
        writer.close()
        return Path(path).read_bytes()
