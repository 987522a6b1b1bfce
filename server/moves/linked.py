"""What a link shows to whoever has it: the last proof and the last report of one move, nothing else."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import render
from django.urls import path
from django.utils import timezone

from server.moves.api.asking import blob
from server.moves.models import Handover, Link, Move, ProofRow

_SIDES = ("reference", "arrival")


def _move(word: str) -> tuple[Move, Link]:
    """The move a word shows. Raises Http404 where it shows none, or none any more."""
    link = Link.objects.select_related("move").filter(word=word, ends__gt=timezone.now()).first()
    if link is None or link.move.deleted is not None:
        raise Http404
    return link.move, link


def _last(move: Move) -> tuple[ProofRow | None, Handover | None]:
    return move.proofs.order_by("-number").first(), move.handovers.order_by("-number").first()


def page(request: HttpRequest, word: str) -> HttpResponseBase:
    """The page itself."""
    try:
        move, link = _move(word)
    except Http404:
        return _over()
    proof, handover = _last(move)
    here = f"/link/{word}"
    told: dict[str, Any] = {
        "name": move.name,
        "source": move.source.capitalize(),
        "destination": move.destination.capitalize(),
        "ends": link.ends,
        "report": f"{here}/report" if handover else None,
        "handover": handover.number if handover else None,
    }
    if proof is not None:
        told["proof"] = {
            "number": proof.number,
            "judged": proof.figures.get("judged", proof.figures.get("mean", 0.0)),
            "verdict": proof.figures.get("verdict", ""),
            "views": [
                {"name": view, **{side: f"{here}/{number}/{side}.png" for side in _SIDES}}
                for number, view in enumerate(proof.pictures)
            ],
        }
    return _private(render(request, "moves/link.html", told))


def picture(request: HttpRequest, word: str, number: int, side: str) -> HttpResponseBase:
    """One of its pictures."""
    proof, _ = _last(_move(word)[0])
    held = list(proof.pictures.values()) if proof is not None else []
    if number >= len(held) or side not in _SIDES:
        raise Http404
    return _private(blob(held[number][side], "png"))


def report(request: HttpRequest, word: str) -> HttpResponseBase:
    """Its report."""
    _, handover = _last(_move(word)[0])
    if handover is None:
        raise Http404
    return _private(blob(handover.report, "html"))


def _private(answer: HttpResponseBase) -> HttpResponseBase:
    """Not kept by others, and its address is told to nobody."""
    answer["Cache-Control"], answer["Referrer-Policy"] = "private, no-store", "no-referrer"
    return answer


def _over() -> HttpResponse:
    return HttpResponse(
        "This link shows nothing, or nothing any more. Ask for a new one.",
        status=404,
        content_type="text/plain; charset=utf-8",
    )


urlpatterns = [
    path("link/<str:word>", page),
    path("link/<str:word>/report", report),
    path("link/<str:word>/<int:number>/<str:side>.png", picture),
]
