"""Decisions in plain words, for the packing list and whoever reads along."""

from __future__ import annotations

from collections.abc import Sequence

from trasloco.decisions.kinds import KINDS, in_force, typed
from trasloco.errors import Refused
from trasloco.inputs.table import INPUTS
from trasloco.scene.model import Decision, Scene


def in_words(decision: Decision, scene: Scene) -> str:
    """``Trunk lid: all faces turned``; ids are named as the scene names them. Accepted findings say so.

    What was stored and cannot be read any more is told by its field.
    """
    try:
        words = typed(decision).words()
    except Refused:
        words = f"{decision.field.replace('_', ' ')}, not understood any more"
    about_nothing_in_it = decision.field in KINDS and not KINDS[decision.field].of
    return f"{(decision.target.partition(':')[2] or decision.target) if about_nothing_in_it else _named(decision.target, scene)}: {words}"


def _named(target: str, scene: Scene) -> str:
    for group in (scene.nodes, scene.materials, scene.images, scene.lights, scene.clips, scene.cameras):
        if target in group:
            return str(group[target].name)
    holder, _, name = target.rpartition("/")
    if holder in scene.materials and name in INPUTS:
        return f"{scene.materials[holder].name}, {INPUTS[name].label.lower()}"
    return {"scene": "Scene", "environment": "Environment", "proof": "Proof", "lightmaps": "Lightmaps"}.get(
        target, target.partition(":")[2] or target
    )


def last_words(decisions: Sequence[Decision], scene: Scene) -> list[str]:
    """One line for what was last decided about each field of each target, in the order decided."""
    return [in_words(d, scene) for d in in_force(decisions)]
