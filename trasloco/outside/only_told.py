"""What came back otherwise and has no decision at the source: told, so that nothing that was changed over
there is passed over in silence.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

from trasloco.accounts.pairing import Pairs
from trasloco.outside.came import Came
from trasloco.scene.lit import Camera, Light
from trasloco.scene.model import Clip, Mesh, Scene, Texture
from trasloco.scene.tags import tags_words

_NEAR = 1e-3


def only_told(sent: Scene, returned: Scene, back: Pairs) -> Iterator[Came]:
    """Materials that came or went, slots that wear another, cameras, motion, words and surroundings. Things
    are told by their names there.
    """
    yield from _materials(sent, returned, back)
    for id, other in back.nodes.items():
        node, now = sent.nodes[id], returned.nodes[other]
        first, second = sent.meshes.get(node.mesh or ""), returned.meshes.get(now.mesh or "")
        if first is not None and second is not None and _wears_another(first, second, back):
            yield _told(
                "part", node.name, "its slots", "their materials", "others", "Choose them at the source."
            )
        if node.tags != now.tags:
            words = tags_words(node.tags), tags_words(now.tags)
            yield _told("part", node.name, "its tags", *words, "Set them on Inventory.")
        if node.layers != now.layers:
            words = ", ".join(node.layers), ", ".join(now.layers)
            yield _told("part", node.name, "its layers", *words, "Layers are the source's.")
        lens = sent.cameras.get(node.camera or ""), returned.cameras.get(now.camera or "")
        if not _same_lens(*lens):
            yield _told("camera", node.name, "its lens", "as sent", "another", "Set it on the camera.")
    for id in back.new_nodes:
        light = returned.lights.get(returned.nodes[id].light or "")
        if light is not None:
            yield _told(
                "lamp", returned.nodes[id].name, "the lamp", "not there", light.kind, "Hang it in Light."
            )
    yield from _around(sent, returned)
    yield from _clips(sent, returned, back)


def _told(kind: str, name: str, what: str, before: str, after: str, why: str) -> Came:
    return Came(kind, "", name, what, before or "none", after or "none", (), why)


def _materials(sent: Scene, returned: Scene, back: Pairs) -> Iterator[Came]:
    for id in back.new_materials:
        why = "It was made there: make it in Fit and put it on its parts."
        yield _told("material", returned.materials[id].name, "the material", "not there", "there", why)
    for id, material in sent.materials.items():
        if id not in back.materials:
            why = "Nothing wears it there any more; choose what its parts wear."
            yield _told("material", material.name, "the material", "there", "gone", why)
            continue
        other = returned.materials[back.materials[id]]
        for name in other.inputs.keys() - material.inputs.keys():
            why = "It was added there: add the input in Fit."
            yield _told("material", material.name, name.replace("_", " "), "not said", "said", why)


def _wears_another(first: Mesh, second: Mesh, back: Pairs) -> bool:
    worn = ([p.material for p in mesh.primitives if len(p.indices)] for mesh in (first, second))
    return any(back.materials.get(a or "") not in (b, None) for a, b in zip(*worn))


def _same_lens(was: Camera | None, now: Camera | None) -> bool:
    if was is None or now is None:
        return was is now
    first, second = (
        np.array((c.yfov_rad, c.aspect, c.znear, c.zfar, c.sensor_mm, c.focus_m, c.f_stop), dtype=np.float64)
        for c in (was, now)
    )
    return bool(np.allclose(first, second, rtol=_NEAR, atol=0.0, equal_nan=True))


def _around(sent: Scene, returned: Scene) -> Iterator[Came]:
    for name, was, now in (
        ("Surroundings", sent.environment, returned.environment),
        ("Backdrop", sent.backdrop, returned.backdrop),
    ):
        if was is None and now is None:
            continue
        same = was is not None and now is not None and _same_around(was, now, sent, returned)
        if not same:
            words = [
                "none" if one is None else f"level {one.level:.4g}, turned {one.turn_rad:.4g}"
                for one in (was, now)
            ]
            yield _told(
                "light", name, "the picture", words[0], words[1], "Choose, turn and level it in Light."
            )


def _same_around(was: Any, now: Any, sent: Scene, returned: Scene) -> bool:
    pictures = sent.images.get(was.image), returned.images.get(now.image)
    known = pictures[0] is not None and pictures[1] is not None and pictures[0].digest == pictures[1].digest
    numbers = (was.level, was.turn_rad), (now.level, now.turn_rad)
    return known and bool(np.allclose(numbers[0], numbers[1], rtol=_NEAR, atol=_NEAR))


def _clips(sent: Scene, returned: Scene, back: Pairs) -> Iterator[Came]:
    why = "Motion is the source's: bring it in with the next revision."
    for id, clip in sent.clips.items():
        other = returned.clips.get(back.clips.get(id, ""))
        if other is None:
            yield _told("motion", clip.name, "the clip", "there", "gone", why)
        elif not _same_motion(clip, other):
            yield _told("motion", clip.name, "its keys", "as sent", "others", why)
    for id in back.new_clips:
        yield _told("motion", returned.clips[id].name, "the clip", "not there", "there", why)


def _same_motion(first: Clip, second: Clip) -> bool:
    if len(first.channels) != len(second.channels):
        return False
    return all(
        a.path == b.path
        and a.values.shape == b.values.shape
        and np.allclose(a.times_s, b.times_s, atol=_NEAR)
        and np.allclose(a.values, b.values, atol=_NEAR)
        for a, b in zip(first.channels, second.channels)
    )


def other_lamp(was: Light, now: Light) -> str:
    """How a lamp is another one beyond its strength, colour and cone; empty where it is not."""
    if was.kind != now.kind:
        return f"{was.kind}, {now.kind} there"
    sizes = [(one.angle_rad, one.radius_m, one.width_m, one.height_m) for one in (was, now)]
    return "" if np.allclose(sizes[0], sizes[1], rtol=_NEAR, atol=1e-5) else "another size"


def laid_otherwise(was: Texture | None, now: Texture | None) -> bool:
    """Whether an image lies otherwise on the surface."""
    if was is None or now is None:
        return False
    numbers = [(*t.offset, t.rotation_rad, *t.scale) for t in (was, now)]
    placed = bool(np.allclose(numbers[0], numbers[1], rtol=_NEAR, atol=_NEAR))
    return not placed or (was.uv_set, was.wrap) != (now.uv_set, now.wrap)
