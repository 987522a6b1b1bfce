"""Pixel conversions: pure functions on (H, W) or (H, W, C) arrays, each with its formula.

Which are done, the plan says; in what order, the workshop.
"""

from trasloco.fit.steps.codes import (
    Encoding,
    decode,
    encode_values,
    extract,
    invert,
    multiply,
    pack,
    relief,
    resize,
    to_depth,
    turn_green,
)
from trasloco.fit.steps.depth import dithered

__all__ = [
    "Encoding",
    "decode",
    "dithered",
    "encode_values",
    "extract",
    "invert",
    "multiply",
    "pack",
    "relief",
    "resize",
    "to_depth",
    "turn_green",
]
