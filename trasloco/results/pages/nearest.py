"""What the page of nearest looks shows."""

from __future__ import annotations

from typing import Any

from trasloco.decisions.kinds import in_force
from trasloco.fit.fitted import Change, Fitted, fitted_for, read, value_of
from trasloco.fit.nearest.model import LEAST_GAIN, MOST_GAIN, Free
from trasloco.inputs.table import INPUTS
from trasloco.results import fitting
from trasloco.results.elsewhere import Elsewhere
from trasloco.results.route import Route
from trasloco.sheets.model import Sheet


def rows_out(route: Route) -> dict[str, Any]:
    scene, plan = route.reference(), route.plan_so_far()
    taken = {d.target: d.value for d in in_force(route.decisions) if d.field == "fitted" and d.value}
    rows, left = [], fitting.not_taken(route, plan)
    for id, missing in fitting.can_be_fitted(plan, scene).items():
        material, value = scene.materials[id], taken.get(id)
        holds = id not in left
        known = fitting.known(route, id)
        rows.append(
            {
                "material": id,
                "name": material.name,
                "key": fitting.nearest_name(route, id, quick=False).key,
                "missing": [INPUTS[name].label for name in missing],
                "taken": holds,
                "open": not holds and (known is None or known.value is not None),
                "stale": value is not None and not holds,
                "inputs": value["inputs"] if value is not None and holds else None,
                "figures": {
                    "copied": known.copied.value,
                    "fitted": known.fitted.value,
                    "found": known.value is not None,
                }
                if known is not None
                else None,
            }
        )
    return {"destination": route.destination.name, "rows": rows}


def one_out(route: Route, material: str, made: fitting.Nearest, keep: tuple[str, ...]) -> dict[str, Any]:
    scene = route.reference()
    fit = read(made.value) if made.value else None
    changes = dict(fit.changes) if fit else {}
    holds_for = fitted_for(scene, scene.materials[material], route.destination)
    value = made.value or value_of(Fitted({}, made.missing), holds_for, route.destination)
    return {
        "material": material,
        "name": scene.materials[material].name,
        "destination": route.destination.name,
        "missing": [INPUTS[one].label for one in made.missing],
        "kept": list(keep),
        "rough": made.rough,
        "found": made.value is not None,
        "copied": made.copied.value,
        "fitted": made.fitted.value,
        "unsure": made.fitted.high - made.fitted.value,
        "table": list(made.table),
        "lights": [
            {"name": title, "counts": counts, **_light_out(made, k)}
            for k, (title, counts) in enumerate(made.lights)
        ],
        "inputs": [_input_out(one, list(copied), changes) for one, copied in made.free],
        "value": value,
        "curves": {
            "degrees": list(made.curves.degrees),
            "meant": list(made.curves.meant),
            "copied": list(made.curves.copied),
            "fitted": list(made.curves.fitted),
        },
        "drawn": list(made.drawn),
        "remains": fitting.remains(made, scene.materials[material].name, route.destination.name),
    }


def _light_out(made: fitting.Nearest, k: int) -> dict[str, Any]:
    """Figures and pictures, PNG, of one light."""
    before, after = made.copied.lights[k], made.fitted.lights[k]
    return {
        "meant": made.meant[k],
        "copied": made.copied.pictures[k],
        "fitted": made.fitted.pictures[k],
        "copied_delta_e": before.value,
        "fitted_delta_e": after.value,
        "unsure": max(after.high - after.value, after.value - after.low),
    }


def _input_out(one: Free, copied: list[float], changes: dict[str, Change]) -> dict[str, Any]:
    n = one.channels
    still = Change((0.0,) * n, tuple(copied)) if one.how == "number" else Change((1.0,) * n, (0.0,) * n)
    change = changes.get(one.name, still)
    low, high = one.number_range
    return {
        "input": one.name,
        "label": INPUTS[one.name].label,
        "how": one.how,
        "copied": copied,
        "gain": list(change.gain),
        "offset": list(change.offset),
        "still": {"gain": list(still.gain), "offset": list(still.offset)},
        "changed": one.name in changes,
        "gain_range": [LEAST_GAIN, MOST_GAIN],
        "offset_range": [low, high],
    }


def elsewhere_out(sheet: Sheet, made: Elsewhere) -> dict[str, Any]:
    """A material at a destination: each side with its picture, PNG, and its mean ΔE over all lights."""
    sides: list[tuple[str, bytes, float | None]] = [("meant", made.meant, None)]
    if made.untouched is not None:
        sides.append(("untouched", made.untouched.pictures[0], made.untouched.value))
    sides.append(("copied", made.copied.pictures[0], made.copied.value))
    sides.append(("fitted", made.fitted.pictures[0], made.fitted.value))
    return {
        "sheet": sheet.name,
        "missing": [INPUTS[name].label for name in made.missing],
        "found": made.found,
        "sides": [{"side": side, "picture": data, "delta_e": delta_e} for side, data, delta_e in sides],
    }
