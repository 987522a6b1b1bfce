"""``trasloco survey``."""

from __future__ import annotations

import json
from pathlib import Path

from trasloco.commands.opened import opened
from trasloco.commands.telling import OUT, watching
from trasloco.summary import finding_json, remnant_json


def survey(sources: list[Path], source: str, to: str, decisions: Path | None, as_json: bool) -> int:
    """Tell what is in a delivery and what is wrong with it; 1 where something is open, otherwise 0."""
    route = opened(sources, source, to, decisions)
    with watching("Survey") as report:
        findings = [finding for finding in route.findings(report) if finding.state == "open"]
    again = route.again() if route.decisions else []
    scene = route.received().scene
    if as_json:
        counts = {
            "parts": len(scene.parts()),
            "materials": len(scene.materials),
            "images": len(scene.images),
            "lights": len(scene.lights),
            "cameras": len(scene.cameras),
        }
        print(
            json.dumps(
                {
                    "scene": scene.name,
                    **counts,
                    "findings": [finding_json(f) for f in findings],
                    "again": [remnant_json(one) for one in again],
                },
                indent=1,
            )
        )
    else:
        OUT.print(
            f"{scene.name}: {len(scene.parts())} parts, {len(scene.materials)} materials, {len(scene.images)} images, {len(scene.lights)} lights, {len(scene.cameras)} cameras",
            highlight=False,
        )
        for finding in findings:
            OUT.print(
                f"\n[bold]{finding.title}[/bold]  {finding.where}\n  {finding.consequence}"
                + (f"\n  mend: {finding.mends[0].label}" if finding.mends else ""),
                highlight=False,
            )
        if not findings:
            OUT.print("Nothing to mend.")
        for one in again:
            OUT.print(
                f"\n[bold]{one.finding.title}[/bold]  {one.finding.where}\n  {'not there before mending' if one.why == 'made' else 'still there after its mend'}",
                highlight=False,
            )
    return 1 if findings or again else 0
