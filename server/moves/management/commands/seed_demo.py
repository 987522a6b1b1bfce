"""Makes the Teatrino moves once, from generated deliveries."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

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


class Command(BaseCommand):
    help = "Generate the Teatrino deliveries and make a move of each, unless they are there."

    def handle(self, *args: Any, **options: Any) -> None:
        folder = Path(settings.DATA_DIR) / "demo"
        write(folder)
        for name, source, destination, files, decided in MOVES:
            if Move.objects.filter(name=name).exists():
                continue
            move = Move.objects.create(name=name, source=source, destination=destination)
            Revision.objects.create(
                move=move, number=1, files={file: put_blob((folder / file).read_bytes()) for file in files}
            )
            execute(Job.objects.create(move=move, kind="receive").id)
            DecisionRow.objects.bulk_create(
                DecisionRow(move=move, batch=1, target=target, field=field, value=value)
                for target, field, value in decided
            )
            Bench(move).plan()
            if decided:
                execute(Job.objects.create(move=move, kind="bake").id)
            self.stdout.write(f"{name} is on the desk")
        self._stranger(folder)

    def _stranger(self, folder: Path) -> None:
        """A program that no sheet describes: its pictures of the gauge came back, and are read once there is time."""
        if Move.objects.filter(name=STRANGER).exists():
            return
        puppet = next(one for one in SAMPLES if one.file == "puppet.ply")
        move = Move.objects.create(name=STRANGER, source=puppet.source, destination="taccuino")
        sample = folder / "samples" / puppet.file
        Revision.objects.create(move=move, number=1, files={sample.name: put_blob(sample.read_bytes())})
        execute(Job.objects.create(move=move, kind="receive").id)
        execute(Job.objects.create(move=move, kind="gauge").id)
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
