"""Jobs of the gauge: handed over in the layout of a move's destination, and read from the pictures that came
back.
"""

from __future__ import annotations

from server.moves.bench import Bench
from server.moves.models import Gauge, Job
from server.moves.sheets import kept_as
from server.moves.store import get_blob, put_blob, store
from trasloco.errors import Refused
from trasloco.progress import Progress
from trasloco.results import gauging
from trasloco.sheets.text import parse_sheet, sheet_toml


def hand_over(job: Job, report: Progress) -> None:
    """The boards in the layout of the destination; pictures that came back before are of another gauge
    then.
    """
    sheet = Bench(job.move).sheet
    report(0.1, "writing the boards")
    made = gauging.handed(sheet)
    text = sheet_toml(sheet)
    row = Gauge.objects.filter(move=job.move).first() or Gauge(move=job.move, sheet=text)
    if row.sheet != text:
        row.pictures, row.rod, row.found, row.evidence, row.made, row.used = {}, None, None, {}, "", ""
    row.sheet, row.archive, row.told = text, put_blob(made.archive), made.told
    row.save()


def read_back(job: Job, report: Progress) -> None:
    """Everything that the pictures tell; where a name is given, kept as a sheet at once."""
    row = Gauge.objects.filter(move=job.move).first()
    if row is None or not row.pictures:
        raise Refused(
            "No picture of the gauge was brought back yet.", job.move.name, "Give one of a board first."
        )
    sheet = parse_sheet(row.sheet, "the gauge")
    pictures = {board: (get_blob(one["picture"]), one["name"]) for board, one in row.pictures.items()}
    rod = None if row.rod is None else (row.rod["length"], row.rod["unit"])
    given = row.rod
    found = gauging.gauged(sheet, f"{sheet.name} measured"[:60], pictures, store, report, rod)
    row.refresh_from_db()  # pictures that were given meanwhile stay
    row.found = {
        **found.told,
        "of": {board: one["picture"] for board, one in row.pictures.items() if board in pictures},
        "of_rod": given,
    }
    row.evidence = {name: put_blob(data) for name, data in found.pictures.items()}
    row.made = found.sheet
    row.save(update_fields=["found", "evidence", "made"])
    name = str(job.settings.get("keep") or "")
    if name and not row.used:
        row.used = kept_as(parse_sheet(found.sheet, "the gauge"), name).name
        row.save(update_fields=["used"])
