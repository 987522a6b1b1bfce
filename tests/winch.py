"""The winch in motion: a load that is drawn up with a lamp under it, a flag on two bones, and a camera that
moves.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tests.making import cube, material, quad, scene
from trasloco.scene.lit import Camera, Light
from trasloco.scene.model import Channel, Clip, Node, Scene, Skin
from trasloco.scene.transforms import compose

RATE = 24000 / 1001
"""Frames a second, as film goes on television."""
TURNED = 0.5**0.5
"""Sine and cosine of 45 degrees: a quaternion that turns by 90."""


def moving_winch() -> Scene:
    """In two seconds the load goes from 0 to 3 m with the lamp 0.8 m below and 1.4 m beside it, the flag's
    upper bone turns by 90 degrees about Z, and the camera goes from x = 0 to x = 2 m.
    """
    flat = quad(1.0, "material:cloth")
    # Upright, its lower edge at rest on the lower bone.
    upright = flat.positions[:, [0, 2, 1]] * np.float32([1, -1, 1]) + np.float32([0, 0.5, 0])
    high = upright[:, 1] > 0.5
    flag = replace(
        flat,
        positions=upright,
        normals=np.tile(np.float32([0, 0, 1]), (len(high), 1)),
        joints=np.stack([high, np.zeros_like(high)] * 2, axis=1).astype(np.uint16),
        weights=np.tile(np.float32([1, 0, 0, 0]), (len(high), 1)),
    )
    given = scene(
        quad(8, "material:floor"),
        cube(1, "material:box"),
        flag,
        materials=(
            material("floor", base_color=(0.5, 0.5, 0.5)),
            material("box", base_color=(0.6, 0.05, 0.05)),
            material("cloth", base_color=(0.1, 0.2, 0.6)),
        ),
        names=("Floor", "Load", "Flag"),
    )
    lamp = Light("light:lamp", "Lamp", "point", intensity=60.0)
    camera = Camera("camera:dolly", "Dolly", 0.8, 16 / 9)
    nodes = dict(given.nodes)
    nodes["part:Lamp"] = Node("part:Lamp", "Lamp", "part:Load", compose((1.0, -0.8, 1.0)), light=lamp.id)
    nodes["part:Dolly"] = Node("part:Dolly", "Dolly", None, compose((0.0, 1.5, 9.0)), camera=camera.id)
    low = Node("part:Low", "Low", None, compose((2.0, 0.5, 0.0)))  # the flag's own space
    up = Node("part:Up", "Up", low.id, np.eye(4))
    nodes |= {low.id: low, up.id: up}
    nodes["part:Flag"] = replace(nodes["part:Flag"], skin="skin:flag")
    skin = Skin("skin:flag", "Flag", (low.id, up.id), np.array([np.eye(4), np.eye(4)]))
    times = np.array([0, 2], np.float32)

    def goes(node: str, path: str, *values: tuple[float, ...]) -> Channel:
        return Channel(node, path, times, np.array(values, np.float32))  # type: ignore[arg-type]

    hoist = Clip(
        "clip:Hoist",
        "Hoist",
        (
            goes("part:Load", "translation", (0, 0.5, 0), (0, 3.5, 0)),
            goes(up.id, "rotation", (0, 0, 0, 1), (0, 0, TURNED, TURNED)),
            goes("part:Dolly", "translation", (0, 1.5, 9), (2, 1.5, 9)),
        ),
    )
    return replace(
        given,
        nodes=nodes,
        lights={lamp.id: lamp},
        cameras={camera.id: camera},
        skins={skin.id: skin},
        clips={hoist.id: hoist},
        frame_rate=RATE,
    )
