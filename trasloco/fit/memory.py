"""What delivered images take at the destination, and what smaller ones would save."""

from __future__ import annotations

from trasloco.fit.model import PlannedImage


def arrival_bytes(image: PlannedImage, width: int = 0, height: int = 0) -> int:
    """Bytes on arrival, unpacked: four channels at its depth, with all smaller levels (the sum of 1/4^k is
    4/3). KTX2 and DDS stay compressed: 16 bytes for each block of 4 × 4 texels, as BC7 and ASTC 4x4 take.
    """
    w, h = width or image.width, height or image.height
    total = 0
    while True:
        if image.kind in ("ktx2", "dds"):
            total += 16 * -(-w // 4) * -(-h // 4)
        else:
            total += w * h * 4 * image.depth // 8
        if w == h == 1:
            return total
        w, h = max(w // 2, 1), max(h // 2, 1)


SMALLEST_SIDE = 16


def next_smaller(image: PlannedImage) -> int | None:
    """Half its longer side, as the next size to offer; None when that would be too small to tell anything."""
    side = max(image.width, image.height) // 2
    return side if side >= SMALLEST_SIDE else None


def saved_at(image: PlannedImage, side: int) -> int:
    """Bytes that are saved when the longer side is at most ``side``."""
    longest = max(image.width, image.height)
    if side >= longest:
        return 0
    return arrival_bytes(image) - arrival_bytes(
        image, max(image.width * side // longest, 1), max(image.height * side // longest, 1)
    )
