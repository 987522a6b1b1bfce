"""A pose taken over from another model: joint by joint, by their names or by a map of them."""

from __future__ import annotations

import itertools
import re
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from trasloco.errors import Refused
from trasloco.scene.model import Doubles, Node, Scene
from trasloco.scene.motion import posed_matrices
from trasloco.scene.tokens import taken_apart
from trasloco.scene.transforms import compose, decompose

_LEFT, _RIGHT = frozenset({"l", "left", "lt"}), frozenset({"r", "right", "rt"})
_ALIKE: tuple[frozenset[str], ...] = tuple(
    frozenset(words.split())
    for words in (
        "root hips hip pelvis",
        "spine back torso waist abdomen",
        "chest ribcage breast",
        "neck",
        "head skull",
        "clavicle collar shoulder",
        "arm upperarm humerus",
        "forearm lowerarm elbow radius",
        "hand wrist palm",
        "thigh upperleg upleg femur",
        "calf shin lowerleg knee tibia",
        "foot ankle",
        "toe toes ball",
        "jaw chin",
        "tail",
        "eye",
    )
)
"""Words that joints of one kind are called by, as anatomy and puppetry have them."""
_FILLERS = frozenset({"bone", "joint", "jnt", "ctrl", "def", "bind", "skin", "b", "j"})
"""Words that say nothing of which joint it is."""
_SURE = 0.5
"""From which likeness on a pair is proposed."""
_CLEAR = 0.8
"""From which on it is told as sure."""


@dataclass(frozen=True)
class Pair:
    """A joint of the rig and the one of the other model it is taken for, None for none; how alike they are, 0
    to 1.
    """

    joint: str
    other: str | None
    alike: float

    @property
    def sure(self) -> bool:
        return self.other is not None and self.alike >= _CLEAR


def pose_from(scene: Scene, target: str, value: Any) -> Scene:
    """The pose of another model of the delivery; that model stays behind.

    ``value`` is the mark behind the other model's ids, such as ``@2``: joints of the same name take its local
    transforms, those of its first key where it is in motion. Names are compared without what stands before a
    colon or bar, and whatever their case. Or ``{"model": mark, "joints": {joint: other's}}``: each joint is
    turned as the other one is, and keeps its own length, since bones that are called otherwise are another
    rig's.

    Raises:
        Refused: there is no rig, or no joint of it has a name of the other model's.
    """
    mapped: Mapping[str, str] | None = None if isinstance(value, str) else value["joints"]
    mark = value if isinstance(value, str) else str(value["model"])
    joints = joints_of(scene, mark)
    if not joints or not any(id.endswith(mark) for id in scene.nodes):
        raise Refused(
            "There is no rig that could take a pose.",
            mark,
            "Choose a model whose joints are those of a rig of this delivery.",
        )
    posed = _posed(scene, mark)
    moved: dict[str, Doubles] = {}
    if mapped is None:
        theirs = {joint_name(scene.nodes[id].name): matrix for id, matrix in posed.items()}
        moved = {id: theirs[name] for id in joints if (name := joint_name(scene.nodes[id].name)) in theirs}
    else:
        moved = {
            id: _turned(scene.nodes[id].matrix, posed[other])
            for id, other in mapped.items()
            if id in joints and other in posed
        }
    if not moved:
        named = ", ".join(sorted(scene.nodes[j].name for j in joints)[:3])
        raise Refused(
            "No joint of the pose has a name of the rig.",
            f"the rig has {named}; the pose {', '.join(sorted(scene.nodes[id].name for id in posed)[:3])}",
            "Say which joint is which, rename the joints, or deliver the pose from the same rig.",
        )
    nodes = {
        id: replace(n, matrix=moved.get(id, n.matrix))
        for id, n in scene.nodes.items()
        if not id.endswith(mark)
    }
    clips = {
        id: replace(c, channels=tuple(ch for ch in c.channels if not ch.node.endswith(mark)))
        for id, c in scene.clips.items()
        if not id.endswith(mark)
    }
    return replace(
        scene,
        nodes=nodes,
        skins={id: s for id, s in scene.skins.items() if not id.endswith(mark)},
        clips=clips,
    )


def joints_of(scene: Scene, mark: str) -> set[str]:
    """Joints of all rigs but the marked model's."""
    return {
        j for skin in scene.skins.values() for j in skin.joints if not j.endswith(mark) and j in scene.nodes
    }


def _posed(scene: Scene, mark: str) -> dict[str, Doubles]:
    """Local transforms of the marked model's nodes, at its first key where it moves."""
    posed = {id: n.matrix for id, n in scene.nodes.items() if id.endswith(mark)}
    for clip in scene.clips.values():
        if clip.id.endswith(mark):
            start = min((float(c.times_s[0]) for c in clip.channels if len(c.times_s)), default=0.0)
            keyed, _ = posed_matrices(scene, clip, start)
            posed |= {id: matrix for id, matrix in keyed.items() if id.endswith(mark)}
    return posed


def _turned(own: Doubles, other: Doubles) -> Doubles:
    """A transform with another one's turn, its own place and size."""
    place, _, size = decompose(own)
    return compose(place.tolist(), decompose(other)[1].tolist(), size.tolist())


def joint_name(name: str) -> str:
    """A joint's name without the space it was put in: ``Puppet:Elbow`` and ``puppet|elbow`` are ``elbow``."""
    return _own_name(name).casefold()


def _own_name(name: str) -> str:
    return re.split(r"[:|/]", name)[-1].strip()


def pairs_of(scene: Scene, mark: str) -> list[Pair]:
    """Which joint of the rig is which of the marked model, as far as names and places tell, each used once.

    Of a name count the side, the part of the body in any of its words, and a number; of a place how deep it
    lies in its tree, how much hangs on it, and where it is against the rig's size. Pairs are chosen so that
    all together are most alike (Kuhn 1955).
    """
    from scipy.optimize import linear_sum_assignment

    ours = [id for id in scene.nodes if id in joints_of(scene, mark)]
    theirs = _other_joints(scene, mark)
    if not ours or not theirs:
        return [Pair(id, None, 0.0) for id in ours]
    told, other = ([_told(scene.nodes[id].name) for id in group] for group in (ours, theirs))
    where, there = (_places(scene, group) for group in (ours, theirs))
    alike = np.array([[_named_alike(a, b) for b in other] for a in told])
    apart = np.linalg.norm(where[:, None] - there[None], axis=2)
    near = np.exp(-((apart / 0.25) ** 2))
    score = 0.75 * alike + 0.25 * near
    rows, columns = linear_sum_assignment(-score)
    chosen = dict(zip(rows.tolist(), columns.tolist(), strict=True))
    found = []
    for k, id in enumerate(ours):
        best = float(score[k, chosen[k]]) if k in chosen else 0.0
        found.append(Pair(id, theirs[chosen[k]] if best >= _SURE else None, best))
    return found


def _other_joints(scene: Scene, mark: str) -> list[str]:
    """Joints of the marked model; where it has no skin, all its places without geometry."""
    held = {j for skin in scene.skins.values() for j in skin.joints if j.endswith(mark) and j in scene.nodes}
    if held:
        return [id for id in scene.nodes if id in held]
    bare: list[Node] = [n for n in scene.nodes.values() if n.id.endswith(mark) and n.mesh is None]
    return [n.id for n in bare]


@dataclass(frozen=True)
class _Told:
    side: str
    kinds: frozenset[int]
    words: frozenset[str]
    number: int


def _told(name: str) -> _Told:
    words = [w for w in taken_apart(_own_name(name).replace(".", "_")).words if w not in _FILLERS]
    side = "l" if _LEFT & set(words) else "r" if _RIGHT & set(words) else ""
    rest = [w for w in words if w not in _LEFT | _RIGHT]
    number = next((int(w) for w in rest if w.isdigit()), 0)
    plain = [w for w in rest if not w.isdigit()]
    joined = {*plain, "".join(plain), *("".join(pair) for pair in itertools.pairwise(plain))}
    kinds = {k for k, group in enumerate(_ALIKE) if group & joined}
    if len(kinds) > 1:
        # Of "upper" "arm" the two together tell more than "arm" alone.
        longest = max(len(word) for group in _ALIKE for word in group & joined)
        kinds = {k for k in kinds if any(len(word) == longest for word in _ALIKE[k] & joined)}
    return _Told(side, frozenset(kinds), frozenset(plain), number)


def _named_alike(a: _Told, b: _Told) -> float:
    if a.side != b.side:
        return 0.0
    if a.words and a.words == b.words:
        return 1.0 if a.number == b.number else 0.6
    shared = len(a.words & b.words) / max(len(a.words | b.words), 1)
    if a.kinds & b.kinds:
        return 0.9 if a.number == b.number else 0.6
    return 0.7 * shared


def _places(scene: Scene, ids: list[str]) -> Doubles:
    """(N, 5) of each joint: its place against the rig's own box (3), how deep it lies, how much hangs on it."""
    world, held = scene.world_matrices(), set(ids)
    at = np.array([world[id][:3, 3] for id in ids])
    low, size = at.min(axis=0), max(float(np.ptp(at, axis=0).max()), 1e-9)
    depth = np.zeros(len(ids))
    below = np.zeros(len(ids))
    number = {id: k for k, id in enumerate(ids)}
    for k, id in enumerate(ids):
        above = scene.nodes[id].parent
        while above is not None:
            if above in held:
                depth[k] += 1
                below[number[above]] += 1
            above = scene.nodes[above].parent
    return np.concatenate(
        [(at - low) / size, depth[:, None] / max(depth.max(), 1), below[:, None] / len(ids)], axis=1
    )
