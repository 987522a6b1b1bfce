"""Who is here, and who else sees a move."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path
from typing import Any

from django.conf import settings
from django.contrib.auth import authenticate, login, logout
from django.contrib.auth.models import User
from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router

from server.accounts.access import level_of, person_of
from server.accounts.throttle import THROTTLE
from server.coming import told
from server.moves.api.asking import move_row
from server.moves.models import Link, Move, Share
from server.moves.schemas.sharing import LinkIn, SessionIn, SessionOut, ShareIn, SharingOut
from trasloco.errors import Refused

router = Router()
MOST_LINKS = 50


@router.get("/session", response=SessionOut)
def session(request: HttpRequest) -> Any:
    person = person_of(request)
    return {
        "accounts": settings.ACCOUNTS,
        "person": person.username if person else None,
        "admin": bool(person and person.is_staff),
        "coming": told(Path(settings.DATA_DIR)),
    }


@router.post("/session", response=SessionOut)
def sign_in(request: HttpRequest, wanted: SessionIn) -> Any:
    if not settings.ACCOUNTS:
        return session(request)
    keys = (f"name {wanted.name.lower()}", f"address {request.META.get('REMOTE_ADDR', '')}")
    wait = THROTTLE.wait_s(*keys)
    if wait > 0:
        raise Refused(
            "There were too many tries with a wrong name or password.",
            "sign in",
            f"Wait {max(round(wait), 1)} s and try again.",
        )
    person = authenticate(request, username=wanted.name, password=wanted.password)
    if person is None:
        THROTTLE.failed(*keys)
        raise Refused(
            "The name or the password is wrong.", "sign in", "Try again, or ask whoever keeps the accounts."
        )
    THROTTLE.succeeded(*keys)
    login(request, person)
    request.user = person
    return session(request)


@router.delete("/session", response={204: None})
def sign_out(request: HttpRequest) -> Any:
    logout(request)
    return 204, None


@router.get("/people", response=list[str])
def people(request: HttpRequest) -> Any:
    """Names with which a move may be shared."""
    here = User.objects.filter(is_active=True) if settings.ACCOUNTS else User.objects.none()
    return list(here.order_by("username").values_list("username", flat=True))


@router.get("/moves/{move_id}/sharing", response=SharingOut)
def sharing(request: HttpRequest, move_id: int) -> Any:
    move = move_row(move_id)
    return _sharing_out(move, level_of(person_of(request), move) == "own")


@router.put("/moves/{move_id}/sharing", response=SharingOut)
def share(request: HttpRequest, move_id: int, wanted: ShareIn) -> Any:
    """Let a person look at a move, or work on it; ``none`` takes it from them again."""
    move = move_row(move_id)
    person = (
        User.objects.filter(username=wanted.person, is_active=True).first() if settings.ACCOUNTS else None
    )
    if person is None:
        raise Refused("There is nobody of that name.", wanted.person, "Choose one of the names in the list.")
    if person.pk == move.owner_id:
        raise Refused("The move is theirs.", wanted.person, "Choose somebody else.")
    if wanted.level == "none":
        Share.objects.filter(move=move, person=person).delete()
    else:
        Share.objects.update_or_create(move=move, person=person, defaults={"level": wanted.level})
    return _sharing_out(move)


@router.post("/moves/{move_id}/links", response=SharingOut)
def make_link(request: HttpRequest, move_id: int, wanted: LinkIn) -> Any:
    """A link that shows report and proof, and runs out."""
    move = move_row(move_id)
    if move.links.count() >= MOST_LINKS:
        raise Refused(f"There are {MOST_LINKS} links already.", move.name, "Withdraw one first.")
    Link.objects.create(move=move, ends=timezone.now() + timedelta(days=wanted.days))
    return _sharing_out(move)


@router.delete("/links/{link_id}", response=SharingOut)
def withdraw_link(request: HttpRequest, link_id: int) -> Any:
    row = get_object_or_404(Link, id=link_id)
    move = row.move
    row.delete()
    return _sharing_out(move)


def _sharing_out(move: Move, owned: bool = True) -> dict[str, Any]:
    """With whom it is shared; its links are for its owner alone, since they open to whoever has them."""
    now = timezone.now()
    return {
        "owner": move.owner.username if move.owner else None,
        "shares": [
            {"person": one.person.username, "level": one.level}
            for one in move.shares.select_related("person").order_by("person__username")
        ],
        "links": [
            {
                "id": one.pk,
                "path": f"/link/{one.word}",
                "ends": one.ends.isoformat(),
                "ended": one.ends <= now,
            }
            for one in (move.links.all() if owned else ())
        ],
    }
