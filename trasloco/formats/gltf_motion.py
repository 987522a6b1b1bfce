"""Skins and clips of glTF 2.0 (sections 3.7.3 and 3.11)."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from trasloco.formats.gltf_reading import Reading
from trasloco.scene.model import Channel, Clip, Doubles, Skin


@dataclass(frozen=True)
class UnboundSkin:
    """A skin whose joints are still node numbers of the document."""

    id: str
    name: str
    joints: tuple[int, ...]
    inverse_bind: Doubles

    def bind(self, id_of: dict[int, str]) -> Skin:
        return Skin(self.id, self.name, tuple(id_of[joint] for joint in self.joints), self.inverse_bind)


def read_skins(reading: Reading) -> dict[str, UnboundSkin]:
    skins: dict[str, UnboundSkin] = {}
    for number, source in enumerate(reading.items("skins")):
        name = str(source.get("name") or f"skin-{number}")
        id = reading.ids.make("skin", name)
        joints = tuple(int(joint) for joint in source["joints"])
        if "inverseBindMatrices" in source:
            inverse = (
                reading.access.floats(source["inverseBindMatrices"])
                .reshape(-1, 4, 4)
                .transpose(0, 2, 1)
                .astype(np.float64)
            )
        else:
            inverse = np.tile(np.eye(4), (len(joints), 1, 1))
        skins[id] = UnboundSkin(id, name, joints, inverse)
    return skins


_WIDTHS = {"translation": 3, "rotation": 4, "scale": 3}
INTERPOLATIONS = frozenset({"LINEAR", "STEP", "CUBICSPLINE"})


def read_clips(reading: Reading, id_of: dict[int, str]) -> dict[str, Clip]:
    clips: dict[str, Clip] = {}
    for number, source in enumerate(reading.items("animations")):
        name = str(source.get("name") or f"clip-{number}")
        id = reading.ids.make("clip", name)
        channels = [
            channel
            for channel in (_channel(reading, source, c, id_of) for c in source.get("channels", []))
            if channel is not None
        ]
        clips[id] = Clip(id, name, tuple(channels))
    return clips


def _channel(
    reading: Reading, animation: dict[str, Any], source: dict[str, Any], id_of: dict[int, str]
) -> Channel | None:
    target = source["target"]
    if target.get("node") not in id_of or target.get("path") not in (
        "translation",
        "rotation",
        "scale",
        "weights",
    ):
        reading.note(
            "motion_unread",
            "Motion of something else than a node",
            f"{reading.where} · {animation.get('name', 'clip')}",
            "This channel stays behind.",
        )
        return None
    sampler = animation["samplers"][source["sampler"]]
    times = reading.access.floats(sampler["input"]).reshape(-1)
    values = reading.access.floats(sampler["output"])
    interpolation = sampler.get("interpolation", "LINEAR")
    keys = len(times) * (3 if interpolation == "CUBICSPLINE" else 1)
    width = values.size // max(keys, 1)
    wanted = _WIDTHS.get(target["path"], width)
    if width != wanted or values.size != keys * width or interpolation not in INTERPOLATIONS:
        reading.note(
            "motion_damaged",
            "Motion whose keys do not fit",
            f"{reading.where} · {animation.get('name', 'clip')} · {target['path']}",
            "This channel stays behind.",
            weight=40,
        )
        return None
    shape = (len(times), 3, width) if interpolation == "CUBICSPLINE" else (len(times), width)
    return Channel(id_of[target["node"]], target["path"], times, values.reshape(shape), interpolation)
