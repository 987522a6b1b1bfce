"""How much the deliveries of one person may take, where people have accounts."""

from __future__ import annotations

from django.conf import settings
from django.contrib.auth.models import User

from server.moves.models import Kept, Move
from server.moves.room import blobs_of
from server.moves.store import blob_bytes
from trasloco.errors import Refused


def taken_bytes(person: User) -> int:
    """Bytes of what a person's moves and shelf refer to, those taken off the desk too; what several share
    counts once.
    """
    held = blobs_of(Move.objects.filter(owner=person))
    for files in Kept.objects.filter(owner=person).values_list("files", flat=True):
        held.update(files.values())
    return sum(map(blob_bytes, held))


def need_share(person: User, more_bytes: int) -> None:
    """Look at what a person has taken before more is received.

    Raises:
        Refused: with it, the person's deliveries would take more than their share of this server.
    """
    most = settings.PERSON_BYTES
    if most <= 0 or more_bytes <= 0:
        return
    taken = taken_bytes(person)
    if taken + more_bytes > most:
        raise Refused(
            f"The deliveries of {person.username} would take {(taken + more_bytes) >> 20} MB; {most >> 20} MB are a person's share here.",
            f"{taken >> 20} MB are taken",
            "Delete for good what is not needed (What takes room, on the desk), or ask whoever keeps this server for more.",
        )
