"""Jobs of pictures that are given: explained as an import, or held beside the proof."""

from __future__ import annotations

from django.utils import timezone

from server.moves.bench import Bench
from server.moves.models import Job, OwnPicture
from server.moves.store import get_blob, put_blob
from trasloco.errors import Refused
from trasloco.progress import Progress
from trasloco.results import light_matching, material_matching, outside, own_pictures

_KEPT_TIMES = 200
"""How often a picture was held is told no farther back."""


def _gone(job: Job) -> Refused:
    return Refused("The picture was taken away.", job.move.name, "Give it again.")


def _own(job: Job) -> OwnPicture:
    row = job.move.own_pictures.filter(id=job.settings.get("picture", 0)).first()
    if row is None:
        raise _gone(job)
    return row


def explain(job: Job, report: Progress) -> None:
    """Why a picture of the import looks as it does."""
    bench = Bench(job.move)
    row = job.move.seen.filter(id=job.settings.get("seen", 0)).first()
    if row is None:
        raise _gone(job)
    found = outside.explained(bench, get_blob(row.picture), row.name, row.view, report)
    row.pictures = {name: put_blob(data) for name, data in found.pictures.items()}
    row.told, row.plan = found.told, bench.landed_name.key
    row.save()


def hold(job: Job, report: Progress) -> None:
    """One's own picture held against both sides."""
    bench, row = Bench(job.move), _own(job)
    asked = own_pictures.asked_of(row.of, row.curve, row.view, row.camera)
    found = own_pictures.held(bench, get_blob(row.picture), row.name, asked, report)
    row.refresh_from_db()  # what was said of it meanwhile stays
    row.pictures = {name: put_blob(data) for name, data in found.pictures.items()}
    row.told, row.stands, row.plan = found.told, found.camera, bench.landed_name.key
    figures = {side: found.told[side]["value"] for side in ("reference", "arrival")}
    row.over_time = [
        *row.over_time,
        {"at": timezone.now().isoformat(), "plan": row.plan, "curve": found.told["curve"], **figures},
    ][-_KEPT_TIMES:]
    row.save(update_fields=["pictures", "told", "stands", "plan", "over_time"])


def _lain(job: Job) -> tuple[Bench, OwnPicture, own_pictures.Lying]:
    """A picture that lies over the scene. Raises Refused where it does not yet."""
    row = _own(job)
    if row.told is None or row.stands is None or not row.told["lies"]:
        raise Refused(
            "The picture does not lie over the scene yet.", row.name, "Hold it first, and find its camera."
        )
    mine, inside = (get_blob(row.pictures[name]) for name in ("mine", "inside"))
    return Bench(job.move), row, own_pictures.Lying(mine, inside, row.stands, row.told["curve"])


def match_material(job: Job, report: Progress) -> None:
    """Numbers of a material of a move matched to one's own picture that was held."""
    bench, row, lying = _lain(job)
    material = str(job.settings.get("material") or "")
    names = [str(name) for name in job.settings.get("names") or ()]
    found = material_matching.match_numbers(bench, lying, material, names, report)
    row.refresh_from_db()
    row.numbers = {
        **row.numbers,
        material: {
            **found.told,
            "picture": put_blob(found.picture),
            "plan": bench.reference_name.key,
        },
    }
    row.save(update_fields=["numbers"])


def match_light(job: Job, report: Progress) -> None:
    """The light of a move matched to one's own picture that was held."""
    bench, row, lying = _lain(job)
    found = light_matching.match_light(bench, lying, light_matching.asked_match(job.settings), report)
    row.refresh_from_db()
    row.matched = {
        **found.told,
        "picture": put_blob(found.picture),
        "plan": bench.reference_name.key,
    }
    row.save(update_fields=["matched"])
