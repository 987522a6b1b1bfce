"""Makes the Teatrino moves once, from generated deliveries."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from django.db import transaction

from demo.build import write
from demo.samples import SAMPLES
from demo.stranger import STRANGER_FILES, write_stranger
from server.moves.bench import Bench
from server.moves.jobs import execute, start
from server.moves.models import DecisionRow, Gauge, Job, Move, Revision
from server.moves.store import put_blob

MOVES: tuple[tuple[str, str, str, tuple[str, ...], tuple[tuple[str, str, Any], ...]], ...] = (
    ("Teatrino", "plain", "lanterna", ("teatrino.glb", "teatrino-evening.exr"), ()),
    ("Teatrino, received", "bottega", "lanterna", ("teatrino-received.zip",), ()),
    (
        "Teatrino, the stage",
        "plain",
        "lanterna",
        ("teatrino-stage.glb", "teatrino-evening.exr"),
        (
            ("lightmaps", "lightmaps", True),
            ("lightmaps", "paths", 32),
            ("lightmaps", "lightmap_mib", 0.25),
            ("environment", "level", 12.0),
        ),
    ),
    (
        "Teatrino, the stage in a pocket",
        "plain",
        "taccuino",
        ("teatrino-stage.glb", "teatrino-evening.exr"),
        (
            ("lightmaps", "lightmaps", True),
            ("lightmaps", "paths", 32),
            ("lightmaps", "lightmap_mib", 0.25),
            ("environment", "level", 12.0),
        ),
    ),
)
"""Name, sheets, files, and what is decided from the start: the stage is baked, with its planted faults
(:mod:`demo.stage`).
"""

STRANGER = "A stranger, measured"


def _made(
    name: str,
    source: str,
    destination: str,
    files: Mapping[str, Path],
    decided: Sequence[tuple[str, str, Any]],
) -> Move:
    """A move with what was delivered and decided, whole or not at all."""
    kept = {path: put_blob(file.read_bytes()) for path, file in files.items()}
    with transaction.atomic():
        move = Move.objects.create(name=name, source=source, destination=destination)
        Revision.objects.create(move=move, number=1, files=kept)
        DecisionRow.objects.bulk_create(
            DecisionRow(move=move, batch=1, target=target, field=field, value=value)
            for target, field, value in decided
        )
    return move


def _done(move: Move, kind: str) -> None:
    """Have work done to its end, here or by a worker that was quicker to take it."""
    job = Job.objects.create(move=move, kind=kind)
    execute(job.id)
    while Job.objects.filter(id=job.id, state__in=(Job.State.WAITING, Job.State.RUNNING)).exists():
        time.sleep(0.2)


class Command(BaseCommand):
    help = "Generate the Teatrino deliveries and make a move of each, unless they are there."

    def handle(self, *args: Any, **options: Any) -> None:
        folder = Path(settings.DATA_DIR) / "demo"
        write(folder)
        for name, source, destination, files, decided in MOVES:
            move = Move.objects.filter(name=name).first() or _made(
                name, source, destination, {file: folder / file for file in files}, decided
            )
            if not move.jobs.filter(kind="receive").exists():
                _done(move, "receive")
                Bench(move).plan()
            if decided and not move.jobs.filter(kind="bake").exists():
                _done(move, "bake")
            self.stdout.write(f"{name} is on the desk")
        self._stranger(folder)

    def _stranger(self, folder: Path) -> None:
        """A program that no sheet describes: its pictures of the gauge came back, and are read once there is
        time.
        """
        if Move.objects.filter(name=STRANGER).exists():
            return
        puppet = next(one for one in SAMPLES if one.file == "puppet.ply")
        sample = folder / "samples" / puppet.file
        move = _made(STRANGER, puppet.source, "taccuino", {sample.name: sample}, ())
        _done(move, "receive")
        _done(move, "gauge")
        write_stranger(folder)
        given = {board: put_blob((folder / file).read_bytes()) for board, file in STRANGER_FILES.items()}
        Gauge.objects.filter(move=move).update(
            pictures={
                board: {"name": STRANGER_FILES[board], "picture": kept, "shown": kept}
                for board, kept in given.items()
            }
        )
        start(move, "read gauge", {"keep": "The stranger"})
        self.stdout.write(f"{STRANGER} is on the desk, and is being read")
