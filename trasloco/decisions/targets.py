"""Whom a decision is about: whether the thing is there and can take it.

A decision that nothing would read is refused when it is made. One that stopped applying later, after a
revision, is kept, and told.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from trasloco.decisions.kind import Kind, Thing
from trasloco.decisions.kinds import typed
from trasloco.errors import Refused
from trasloco.inputs.table import INPUTS
from trasloco.scene.model import Decision, Scene

_WORDS: Mapping[Thing, str] = {
    "scene": "the scene",
    "environment": "the environment",
    "proof": "the proof",
    "lightmaps": "the lightmaps",
    "part": "a part",
    "group": "a group",
    "light": "a light",
    "camera": "a camera",
    "material": "a material",
    "image": "an image",
    "clip": "a clip",
    "input": "an input of a material",
}


def check_targets(decisions: Sequence[Decision], *scenes: Scene) -> None:
    """Nothing when each decision is about something that one of the scenes holds (as received, before and
    after) and that can take it.

    Raises:
        Refused: nothing of that name, a field that is not decided for such a thing, or a value that names
            nothing.
    """
    for decision in decisions:
        problem = _problem(typed(decision), scenes)
        if problem is not None:
            raise problem


def idle(decisions: Sequence[Decision], *scenes: Scene) -> list[Decision]:
    """Those of some decisions that do nothing any more: what they are about, or what they name, is not in any
    of the scenes.
    """
    found = []
    for decision in decisions:
        try:
            problem = _problem(typed(decision), scenes)
        except Refused as refused:
            problem = refused
        if problem is not None:
            found.append(decision)
    return found


def _problem(decision: Kind, scenes: Sequence[Scene]) -> Refused | None:
    target, where = decision.target, f"{decision.target}, {decision.field}"
    if not decision.of or (decision.founds and target.startswith(decision.founds)):
        return None
    kinds = {kind for scene in scenes for kind in _kinds_of(scene, target)}
    if not kinds:
        return Refused(
            "There is no such thing in this move.",
            where,
            "Reload the page; it may have left with a change made elsewhere.",
        )
    if not kinds & set(decision.of):
        return Refused(
            f"That cannot be decided for {_WORDS[min(kinds)]}.",
            where,
            f"Decide it for {' or '.join(_WORDS[kind] for kind in decision.of)}.",
        )
    lacking = [lack for scene in scenes if (lack := decision.lacks(scene)) is not None]
    if lacking and len(lacking) == len(scenes):
        return Refused(lacking[0][0], where, lacking[0][1])
    if not any(decision.names_something(scene) for scene in scenes):
        return Refused(
            "The value names nothing in this move.",
            f"{where}: {decision.value}",
            "Choose something of the move.",
        )
    return None


def _kinds_of(scene: Scene, target: str) -> list[Thing]:
    if target in ("scene", "environment", "proof", "lightmaps"):
        return [target]  # type: ignore[list-item]
    if target in scene.nodes:
        return ["part" if scene.nodes[target].mesh is not None else "group"]
    groups: tuple[tuple[Thing, Mapping[str, object]], ...] = (
        ("light", scene.lights),
        ("camera", scene.cameras),
        ("material", scene.materials),
        ("image", scene.images),
        ("clip", scene.clips),
    )
    found: list[Thing] = [kind for kind, held in groups if target in held]
    material, _, name = target.rpartition("/")
    return [*found, "input"] if material in scene.materials and name in INPUTS else found
