"""What is asked of the lightmaps of a move: by the destination's rules, and by the artist."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from trasloco.scene.extent import shells
from trasloco.scene.model import Decision, Node, Scene
from trasloco.sheets.model import Lightmaps

TARGET = "lightmaps"
PREVIEW, FINAL = 64, 512


@dataclass(frozen=True)
class Wish:
    """How lightmaps are made.

    Attributes:
        wanted: whether there are any. samples: paths a texel. bounces: times that light is sent on, 0 for
            direct light alone. seconds: after which to stop, 0 for never.
        budget_mib: memory for all images on arrival. density: texels per metre by part, where the artist asks
            for them. left_out: parts that receive none.
        denoised, stitched: what is done once the light is known. directed: whether an image beside each tells
            from where light comes. threads: 0 for all.
        camera, part, around_m: the area that matters most: what a camera sees, or what lies around a part;
            empty for what any camera sees.
    """

    wanted: bool = False
    samples: int = PREVIEW
    bounces: int = 3
    seconds: float = 0.0
    budget_mib: float = 8.0
    density: Mapping[str, float] = field(default_factory=dict)
    left_out: frozenset[str] = frozenset()
    denoised: bool = True
    stitched: bool = True
    directed: bool = False
    threads: int = 0
    camera: str = ""
    part: str = ""
    around_m: float = 0.0


def wish_of(decisions: Sequence[Decision], rules: Lightmaps) -> Wish:
    """What was decided; the sheet's budget where nothing was."""
    told = {decision.field: decision.value for decision in decisions if decision.target == TARGET}
    density: dict[str, float] = {}
    left_out: dict[str, bool] = {}
    for decision in decisions:
        if decision.field == "texels_per_metre":
            density[decision.target] = float(decision.value or 0)
        elif decision.field == "receives":
            left_out[decision.target] = not decision.value
    budget, matters = told.get("lightmap_mib"), told.get("matters") or {}
    return Wish(
        bool(told.get("lightmaps", False)) and rules.taken,
        int(told.get("paths", PREVIEW)),
        int(told.get("bounces", 3)),
        float(told.get("bake_seconds") or 0),
        float(budget) if budget else rules.budget_mib,
        {part: value for part, value in density.items() if value > 0},
        frozenset(part for part, out in left_out.items() if out),
        bool(told.get("denoised", True)),
        bool(told.get("stitched", True)),
        rules.direction and bool(told.get("directed", True)),
        camera=str(matters.get("camera", "")),
        part=str(matters.get("part", "")),
        around_m=float(matters.get("around_m", 0.0)),
    )


def excuses(scene: Scene, wish: Wish) -> dict[str, str]:
    """Parts that receive no lightmap, with the reason.

    What moves is lit where it is; what is not lit at all needs none.
    """
    moving = {channel.node for clip in scene.clips.values() for channel in clip.channels}
    for node in scene.nodes.values():
        # Parents stand before their children.
        if node.parent in moving:
            moving.add(node.id)
    sky = shells(scene)
    return {
        part.id: reason
        for part in scene.parts()
        if (
            reason := "encloses everything else"
            if part.id in sky
            else _why_not(scene, part, wish, part.id in moving)
        )
    }


MOVES, CHANGES = "moves", "changes its shape"


def movers(excused: Mapping[str, str]) -> list[str]:
    """Of the parts that receive no lightmap, those that light probes light."""
    return [part for part, reason in excused.items() if reason in (MOVES, CHANGES)]


def _why_not(scene: Scene, part: Node, wish: Wish, moving: bool) -> str:
    if part.id in wish.left_out:
        return "left out"
    if part.lightmap is not None:
        return "brings its own"
    if moving or part.skin is not None or part.tags.still is False:
        return MOVES
    mesh = scene.meshes[part.mesh or ""]
    if mesh.morph_names or any(p.morphs for p in mesh.primitives):
        return CHANGES
    worn = [scene.materials.get(p.material or "") for p in mesh.primitives if len(p.indices)]
    if not worn:
        return "has no faces"
    if all(m is not None and m.unlit for m in worn):
        return "is not lit"
    if all(
        m is not None
        and "transmission" in m.inputs
        and (m.inputs["transmission"].texture is not None or m.inputs["transmission"].factor[0] > 0.5)
        for m in worn
    ):
        return "is glass"
    return ""
