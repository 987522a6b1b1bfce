"""Makes the Teatrino moves once, from generated deliveries."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from demo.build import write
from server.moves.bench import Bench
from server.moves.jobs import execute
from server.moves.models import Job, Move, Revision
from server.moves.store import put_blob

MOVES = (
    ("Teatrino", "plain", "lanterna", ("teatrino.glb", "teatrino-evening.exr")),
    ("Teatrino, received", "bottega", "lanterna", ("teatrino-received.zip",)),
)


class Command(BaseCommand):
    help = "Generate the Teatrino deliveries and make a move of each, unless they are there."

    def handle(self, *args: Any, **options: Any) -> None:
        folder = Path(settings.DATA_DIR) / "demo"
        write(folder)
        for name, source, destination, files in MOVES:
            if Move.objects.filter(name=name).exists():
                continue
            move = Move.objects.create(name=name, source=source, destination=destination)
            Revision.objects.create(move=move, number=1, files={file: put_blob((folder / file).read_bytes()) for file in files})
            execute(Job.objects.create(move=move, kind="receive").id)
            Bench(move).plan()
            self.stdout.write(f"{name} is on the desk")
