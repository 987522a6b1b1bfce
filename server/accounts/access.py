"""What a person may do with a move, in one place: every request about a move passes here before its view."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any, Literal

from django.conf import settings
from django.contrib.auth.models import User
from django.db.models import Q, QuerySet
from django.http import HttpRequest, HttpResponse

from server.accounts.quota import need_share
from server.answers import refusal
from server.moves.faults import NO_ROOM
from server.moves.models import Handover, Job, Link, Move, ProofRow, Share
from trasloco.errors import Refused

Level = Literal["look", "work", "own"]
_ORDER: tuple[Level, ...] = ("look", "work", "own")
_OPEN = "/api/session"
"""Asked by whoever is not signed in yet."""
_ASKS = ("/rename-preview", "/faces-found", "/faces-drawn", "/uv-layout", "/walk")
"""Ends of addresses that are written to and change nothing."""
_OWNER_S = re.compile(r"^/api/(moves/\d+/sharing|moves/\d+/links|links/|taken-off/)")
_ONE_MOVE = re.compile(r"/api/moves/\d+")
"""Addresses that only a move's owner writes to, and that of a move, which only its owner takes away."""


def person_of(request: HttpRequest) -> User | None:
    """Who asks; None on a computer of one person, where there are no accounts."""
    return request.user if settings.ACCOUNTS and isinstance(request.user, User) else None


def visible(person: User | None) -> QuerySet[Move]:
    """Moves that a person sees: all on a computer of one person, otherwise their own and what is shared."""
    if not settings.ACCOUNTS:
        return Move.objects.all()
    if person is None:
        return Move.objects.none()
    return Move.objects.filter(Q(owner=person) | Q(shares__person=person)).distinct()


def level_of(person: User | None, move: Move) -> Level | None:
    """What a person may do with a move; None where it is none of theirs."""
    if not settings.ACCOUNTS:
        return "own"
    if person is None:
        return None
    if move.owner_id == person.pk:
        return "own"
    share = Share.objects.filter(move=move, person=person).first()
    return None if share is None else "work" if share.level == Share.Level.WORK else "look"


def needed(method: str | None, path: str) -> Level:
    """What a request about a move asks for."""
    if method in ("GET", "HEAD", "OPTIONS") or path.endswith(_ASKS):
        return "look"
    if _OWNER_S.search(path) or (method == "DELETE" and _ONE_MOVE.fullmatch(path)):
        return "own"
    return "work"


_MOVE_OF: dict[str, Callable[[int], Move | None]] = {
    "move_id": lambda id: Move.objects.filter(id=id).first(),
    "job_id": lambda id: _move_of(Job.objects.filter(id=id).select_related("move").first()),
    "proof_id": lambda id: _move_of(ProofRow.objects.filter(id=id).select_related("move").first()),
    "handover_id": lambda id: _move_of(Handover.objects.filter(id=id).select_related("move").first()),
    "link_id": lambda id: _move_of(Link.objects.filter(id=id).select_related("move").first()),
}


def _move_of(row: Job | ProofRow | Handover | Link | None) -> Move | None:
    return None if row is None else row.move


class Access:
    """Lets through what a person may ask; the rest hears 401, 403, or that there is nothing here."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(
        self, request: HttpRequest, view: Any, args: Any, named: dict[str, Any]
    ) -> HttpResponse | None:
        if not settings.ACCOUNTS or not request.path.startswith("/api/") or request.path == _OPEN:
            return None
        person = person_of(request)
        if person is None or not person.is_active:
            return refusal(401, "Nobody is signed in.", request.path, "Sign in first.")
        owner: User | None = person
        for name, find in _MOVE_OF.items():
            if name in named:
                number = str(named[name])
                found = find(int(number)) if number.isdecimal() and len(number) < 19 else None
                refused = _refusal(person, found, needed(request.method, request.path), request.path)
                if refused is not None:
                    return refused
                owner = found.owner if found is not None else None
        return _beyond_share(request, owner)


def _beyond_share(request: HttpRequest, owner: User | None) -> HttpResponse | None:
    """The refusal of an upload, before its body is read, where its owner's share of this server is taken."""
    if owner is None or request.content_type != "multipart/form-data":
        return None
    try:
        need_share(owner, int(request.headers.get("Content-Length") or 0))
    except Refused as refused:
        return refusal(NO_ROOM, refused.what, refused.where, refused.remedy)
    return None


def _refusal(person: User, move: Move | None, wanted: Level, path: str) -> HttpResponse | None:
    level = level_of(person, move) if move is not None else None
    if level is None:
        return refusal(404, "There is nothing here.", path, "Go back to the desk.")
    if _ORDER.index(level) < _ORDER.index(wanted):
        who = "its owner" if wanted == "own" else "who may work on it"
        return refusal(403, f"This is for {who}.", path, "Ask its owner to share it with you for that.")
    return None
