"""A side of a move in motion, for a live view: its geometry with skins, morphs and clips, and what moves."""

from __future__ import annotations

import math
from typing import Any

from trasloco.formats.gltf_document import GlbOptions
from trasloco.formats.gltf_write import write_glb
from trasloco.progress import Progress, silent
from trasloco.proof.pairing import paired
from trasloco.results.lit import Side, name_of, scene_of
from trasloco.results.name import named
from trasloco.results.route import Route
from trasloco.scene.motion import ends_of

_MADE = ("trasloco.results.moving", "trasloco.formats.gltf_write")


def moving_key(route: Route, side: Side) -> str:
    return named("moving view", _MADE, name_of(route, side)).key


def moving_glb(route: Route, side: Side, progress: Progress = silent) -> bytes:
    """Geometry with everything that moves it, our ids on nodes and clips, and no images."""
    made: bytes = route.store.get_or_make(
        moving_key(route, side),
        lambda: write_glb(
            scene_of(route, side, progress),
            GlbOptions(
                materials=False,
                images=False,
                ids=True,
                lights=False,
                cameras=False,
                tangents=False,
                clouds=False,
            ),
        ),
    )
    return made


def moving_out(route: Route, side: Side) -> dict[str, Any]:
    """What moves on a side: clips, told by the reference's ids where they have its names, and cameras."""
    scene, meant = scene_of(route, side), route.settled()
    same = {
        theirs: id
        for id, theirs in paired(
            {c.id: c.name for c in meant.clips.values()}, {c.id: c.name for c in scene.clips.values()}
        ).items()
    }
    return {
        "clips": [
            {"id": clip.id, "meant": same.get(clip.id), "name": clip.name, "start_s": start, "end_s": end}
            for clip in scene.clips.values()
            for start, end in [ends_of(clip) or (0.0, 0.0)]
            if end > start
        ],
        "cameras": [
            {
                "node": node.id,
                "name": node.name,
                "yfov_deg": math.degrees(held.yfov_rad),
            }
            for node in scene.nodes.values()
            if (held := scene.cameras.get(node.camera or "")) is not None
        ],
        "frame_rate": scene.frame_rate,
    }
