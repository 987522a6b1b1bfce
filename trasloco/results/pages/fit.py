"""The Fit stop."""

from __future__ import annotations

import math
from typing import Any

from trasloco.decisions.kinds import in_force, on_the_wire
from trasloco.decisions.materials import kind_words
from trasloco.fit.families.sets import Proposal, kind_label
from trasloco.fit.memory import arrival_bytes, next_smaller, saved_at
from trasloco.fit.way import kinds_to_choose
from trasloco.inputs.rows import GROUPS
from trasloco.inputs.table import INPUTS
from trasloco.results.looking import families
from trasloco.results.pages.inventory import materials_out
from trasloco.results.route import Route
from trasloco.scene.repeats import repeat_m
from trasloco.scene.spaces import SPACES
from trasloco.sheets.model import WITH_QUALITIES
from trasloco.shelf import matches, shelf
from trasloco.summary import plan_json


def fit_out(route: Route) -> dict[str, Any]:
    measured = route.known_plan() is not None  # asked first: what is measured meanwhile is told with the next
    plan, scene = route.plan_so_far(), route.reference()
    made = plan_json(plan, scene)
    for told, planned in zip(made["images"], plan.images, strict=True):
        smaller = next_smaller(planned)
        told |= {
            "memory": arrival_bytes(planned),
            "smaller_side": smaller,
            "saved": saved_at(planned, smaller) if smaller else 0,
        }
    holding = in_force(route.decisions)
    sizes = {d.target: d.value for d in holding if d.field == "largest_side" and d.value}
    files = {d.target: d.value for d in holding if d.field == "file_kind" and d.value}
    shared = {d.target: str(d.value) for d in holding if d.field == "factor_like" and d.value}
    for crossing in made["crossings"]:
        other, _, name = shared.get(crossing["id"], "").rpartition("/")
        crossing["like"] = (
            f"{scene.materials[other].name}, {INPUTS[name].label.lower()}"
            if other in scene.materials and name in INPUTS
            else None
        )
    return {
        "meshes": [
            {**m, "parts": [scene.nodes[part].name for part in m["parts"] if part in scene.nodes]}
            for m in made["meshes"]
        ],
        "sizes": sizes,
        "files": files,
        "kinds": [
            {"kind": kind, "name": kind_words(kind), "loses": kind in WITH_QUALITIES}
            for kind in kinds_to_choose(route.destination)
        ],
        "spaces": list(SPACES),
        "known": known_inputs(route),
        "repeats_m": {
            c["id"]: side
            for c in made["crossings"]
            if c["name"] == "height"
            and (side := repeat_m(scene, c["material"], scene.materials[c["material"]].inputs["height"]))
        },
        "crossings": made["crossings"],
        "images": made["images"],
        "materials": materials_out(scene),
        "geometry": made["geometry"],
        "marks": made["marks"],
        "measured": measured,
        "version": route.landed_name.key,
    }


def known_inputs(route: Route) -> list[dict[str, Any]]:
    """Every input a material can have, its default, and whether the destination has a place for it."""
    rules = route.destination.materials
    there = {*rules.inputs, *(name for one in rules.sets for name in one.channels.values())}
    return [
        {
            "name": row.name,
            "label": row.label,
            "group": group,
            "default": [None if v == math.inf else v for v in row.default],
            "holds": row.holds,
            "length": row.length,
            "share": row.share,
            "beside": row.beside,
            "in_destination": row.name in there,
        }
        for group, rows in GROUPS.items()
        for row in rows
    ]


def families_out(route: Route) -> dict[str, Any]:
    offered, rest = families(route)
    images = route.received().scene.images
    return {
        "proposals": [proposal_out(route, one) for one in offered],
        "unsure": [
            {"image": m.image, "file": images[m.image].name, "reason": m.found.reason}
            for m in rest.unsure
            if m.image in images
        ],
        "unmatched": [
            {
                "set": one.name,
                "images": [
                    {"image": m.image, "file": images[m.image].name, "reason": kind_label(m.found)}
                    for m in one.members
                ],
            }
            for one in rest.sets
        ],
        "bare": list(rest.bare),
        "materials": [{"id": m.id, "name": m.name} for m in route.reference().materials.values()],
        "inputs": [
            {"input": name, "label": row.label} for name, row in INPUTS.items() if row.names is not None
        ],
    }


def proposal_out(route: Route, made: Proposal) -> dict[str, Any]:
    images = route.received().scene.images
    fillings = [
        {
            "input": f.input,
            "label": INPUTS[f.input].label,
            "image": f.image,
            "file": images[f.image].name,
            "channels": f.channels,
            "inverted": any(isinstance(d.value, dict) and d.value.get("invert") for d in f.decisions),
            "reason": f.reason,
            "decisions": [on_the_wire(d) for d in f.decisions],
        }
        for f in made.fillings
    ]
    passed = [
        {"image": m.image, "file": images[m.image].name, "reason": m.passed_over}
        for m in made.set.members
        if m.passed_over
    ]
    return {
        "material": made.material,
        "material_name": route.reference().materials[made.material].name,
        "set": made.set.name,
        "reason": made.reason,
        "fillings": fillings,
        "passed_over": passed,
    }


def shelf_out(route: Route) -> dict[str, Any]:
    """The library of materials, and the slots that are named like something in it."""
    scene = route.settled()
    found = [
        {"slot": m.slot, "slot_name": scene.materials[m.slot].name, "name": m.name} for m in matches(scene)
    ]
    return {"names": list(shelf()), "matches": found}
