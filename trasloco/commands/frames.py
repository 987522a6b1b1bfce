"""``trasloco frames``."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from trasloco.commands.opened import opened
from trasloco.commands.telling import OUT, watching
from trasloco.errors import Refused
from trasloco.handover.on_disk import unused
from trasloco.move import prove_clip
from trasloco.proof.picturing import difference_png, picture_png
from trasloco.proof.staging import effects_of, exposure_of, views_for
from trasloco.render.picture import Quality
from trasloco.summary import frame_json


def framed(
    sources: list[Path],
    source: str,
    to: str,
    clip: str,
    out: Path,
    decisions: Path | None,
    rate: float,
    samples: int,
    width: int,
    as_json: bool,
) -> None:
    """Prove a clip frame by frame and write its pictures."""
    route = opened(sources, source, to, decisions)
    made, reference = route.decisions, route.reference()
    id = next((one.id for one in reference.clips.values() if clip in (one.name, one.id)), None)
    if id is None:
        names = ", ".join(one.name for one in reference.clips.values())
        raise Refused(
            "There is no such motion in this delivery.",
            clip,
            f"Choose one of: {names}." if names else "Nothing in it moves.",
        )
    arrival = route.arrival()
    out = unused(out)
    out.mkdir(parents=True, exist_ok=True)
    rows: list[dict[str, Any]] = []
    with watching("Frames") as report:
        view, quality = views_for(reference, made)[0], Quality(width, max(width * 9 // 16, 1), samples, 3)
        for frame in prove_clip(
            reference,
            arrival,
            id,
            view,
            rate,
            quality,
            exposure_of(made),
            effects_of(made, route.destination),
            report,
            stand_in=True,
        ):
            for side, data in (
                ("reference", picture_png(frame.reference, frame.ev100)),
                ("arrival", picture_png(frame.arrival, frame.ev100)),
                ("difference", difference_png(frame.comparison.delta_e)),
            ):
                (out / f"{side}-{frame.number:04d}.png").write_bytes(data)
            rows.append(frame_json(frame))
    if as_json:
        print(
            json.dumps(
                {"clip": reference.clips[id].name, "view": view.name, "rate": rate, "frames": rows}, indent=1
            )
        )
        return
    for row in rows:
        OUT.print(
            f"{row['number']:>4}  {row['time_s']:7.3f} s  ΔE {row['subject']['value']:.2f} ({row['subject']['low']:.2f} to {row['subject']['high']:.2f})  worst {row['judged']:.2f}",
            highlight=False,
        )
    OUT.print(
        f"{sum(row['seconds'] for row in rows) / len(rows):.2f} s a frame, {len(rows)} frames in {out}",
        highlight=False,
    )
