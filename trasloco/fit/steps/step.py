"""What a kind of step is."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from trasloco.fit.draft import Draft
from trasloco.fit.model import Step
from trasloco.fit.plane import Order, Plane
from trasloco.fit.way import Way
from trasloco.scene.texels_held import Pixels


@dataclass(frozen=True)
class Kind:
    """A kind of step.

    Attributes:
        name: as plans call it.
        fate: what becomes of an input as a whole, None where this kind has no say; the first that speaks has
            the last word.
        plan: the draft with this step where it is needed, in the order of planning.
        apply: the texels after it, in the order of doing. Without it a step changes no texels.
        replaces: its promise: whether something is replaced or resampled, so that a crossing is at best
        close.
        whole_codes: whether it makes whole codes of whole codes.
        reads_others: whether its texels depend on other inputs of the material.
        dithers: whether it rounds up as well as down.
        seen: texels (H, W) that count when it is measured; all without it.
        undo: the texels before it, from those after it and what was there before on the way (for its
        encoding); None where nothing says what they were. stays: whether texels mean the same before and
        after it.
    """

    name: str
    fate: Callable[[Draft, Way], Draft | None] | None = None
    plan: Callable[[Draft, Way], Draft] | None = None
    apply: Callable[[Plane, Step, Order], Plane] | None = None
    replaces: bool = False
    whole_codes: bool = False
    reads_others: bool = False
    dithers: bool = False
    seen: Callable[[Order, Step, tuple[int, ...]], Pixels] | None = None
    undo: Callable[[Plane, Step, Order, Plane], Plane | None] | None = None
    stays: bool = False
