"""How the one material of a part is drawn: its sides, and the see-through that shows all its slots."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from trasloco.fit.geometry.backs import backs_for, with_backs
from trasloco.fit.model import Crossing
from trasloco.fit.together.units import Unit
from trasloco.scene.model import AlphaMode, Material, Scene
from trasloco.sheets.model import Sheet


@dataclass(frozen=True)
class Ways:
    """How the one material of a unit is drawn."""

    double_sided: bool
    alpha_mode: AlphaMode
    alpha_cutoff: float


def ways_of(
    units: Sequence[Unit],
    reference: Scene,
    destination: Sheet,
    alpha: Mapping[str, str],
    crossings: Sequence[Crossing],
) -> dict[str, Ways]:
    """How the one material of each unit is drawn, by its mesh.

    ``alpha`` is the see-through of each material at the destination, before they are drawn together.
    """
    backed = with_backs(reference, backs_for(reference, destination)).materials
    cuts = {
        c.material: float(step.settings["cutoff"])
        for c in crossings
        for step in c.steps
        if step.kind == "cut"
    }
    alone = {
        id: replace(
            material,
            alpha_mode=alpha.get(id, "opaque"),  # type: ignore[arg-type]
            alpha_cutoff=cuts.get(id, material.alpha_cutoff),
        )
        for id, material in backed.items()
    }
    rules, found = destination.materials, {}
    for unit in units:
        worn = [alone[id] for id in unit.worn]
        mode, cutoff = _see_through_of(worn)
        flagged = rules.two_sided == "flag" and any(m.double_sided for m in worn)
        both = rules.two_sided == "always" or flagged
        found[unit.mesh] = Ways(both, mode, 0.5 if rules.cut_at == "half" else cutoff)
    return found


def _see_through_of(worn: list[Material]) -> tuple[AlphaMode, float]:
    """See-through of what is drawn from several materials, and where it is cut: blended where one is; cut
    where they all are cut, at one half unless they agree.
    """
    modes = {material.alpha_mode for material in worn}
    cuts = {material.alpha_cutoff for material in worn if material.alpha_mode == "mask"}
    mode: AlphaMode = "blend" if "blend" in modes else "mask" if "mask" in modes else "opaque"
    return mode, cuts.pop() if mode == "mask" and len(cuts) == 1 else 0.5
