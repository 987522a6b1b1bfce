"""Which joint is which, before a pose is taken over from another model."""

from __future__ import annotations

from typing import Any

from trasloco.errors import Refused
from trasloco.mends.poses import joint_name, pairs_of
from trasloco.results.route import Route


def pose_map(route: Route, mark: str) -> dict[str, Any]:
    """Joints of the rig with what each is taken for in another model, all that may be chosen, and whether the
    names alone do.

    Raises:
        Refused: there is no such model, or no rig.
    """
    scene = route.as_received()
    pairs = pairs_of(scene, mark) if mark.startswith("@") else []
    others = [node for node in scene.nodes.values() if node.id.endswith(mark) and node.mesh is None]
    if not pairs or not others:
        raise Refused(
            "There is no rig that could take a pose.",
            mark,
            "Choose a model of this delivery that has joints.",
        )
    named = {joint_name(node.name) for node in others}
    return {
        "by_name": all(joint_name(scene.nodes[one.joint].name) in named for one in pairs),
        "joints": [
            {
                "id": one.joint,
                "name": scene.nodes[one.joint].name,
                "other": one.other,
                "sure": one.sure,
            }
            for one in pairs
        ],
        "others": [{"id": node.id, "name": node.name} for node in others],
    }
