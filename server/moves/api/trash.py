"""What was taken off the desk, and what takes room."""

from __future__ import annotations

import math
import shutil
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db.models import Sum
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from server.accounts.access import level_of, person_of, visible
from server.moves import desk
from server.moves.models import Move, Result
from server.moves.room import bytes_of, purge
from server.moves.schemas.moves import MoveOut, RoomOut, TakenOff

router = Router()


def _taken_off(move_id: int) -> Move:
    return get_object_or_404(Move, id=move_id, deleted__isnull=False)


@router.get("/taken-off", response=list[TakenOff])
def taken_off(request: HttpRequest) -> Any:
    """Moves that can still be brought back, newest first."""
    person, now = person_of(request), timezone.now()
    return [
        {
            "id": move.id,
            "name": move.name,
            "days_left": max(math.ceil((move.kept_until - now) / timedelta(days=1)), 0)
            if move.kept_until
            else 0,
            "bytes": bytes_of(move),
        }
        for move in visible(person).filter(deleted__isnull=False).order_by("-deleted")
        if level_of(person, move) == "own"
    ]


@router.post("/taken-off/{move_id}/back", response=MoveOut)
def bring_back(request: HttpRequest, move_id: int) -> Any:
    move = _taken_off(move_id)
    move.deleted = None
    move.save(update_fields=["deleted"])
    return desk.move_out(move, person_of(request))


@router.delete("/taken-off/{move_id}", response={204: None})
def remove_for_good(request: HttpRequest, move_id: int) -> Any:
    purge(_taken_off(move_id))
    return 204, None


@router.get("/room", response=RoomOut)
def room(request: HttpRequest) -> Any:
    """What takes room, in bytes: by move the most first, results that can be computed again, and what is
    free.
    """
    moves = [
        {"id": move.id, "name": move.name, "bytes": bytes_of(move)}
        for move in visible(person_of(request)).filter(deleted=None)
    ]
    return {
        "free": shutil.disk_usage(settings.DATA_DIR).free,
        "results": Result.objects.aggregate(total=Sum("size"))["total"] or 0,
        "results_most": settings.RESULTS_DISK_BYTES,
        "moves": sorted(moves, key=lambda one: -int(str(one["bytes"]))),
    }
