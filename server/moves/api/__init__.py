"""The API by stop. Thin: each view names what it wants from the bench, the jobs or the rows."""

from __future__ import annotations

import json
import logging
import secrets

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import HttpError, ValidationError

from server.answers import refusal, told
from server.moves.api import (
    acts,
    budget,
    deciding,
    files,
    fit,
    gauge,
    handover,
    inventory,
    light,
    looking,
    moves,
    nearest,
    own_pictures,
    own_shelf,
    proof,
    seen,
    sharing,
    sheets,
    trash,
)
from server.moves.faults import fault_of
from trasloco.decisions.kinds import typed
from trasloco.errors import Refused
from trasloco.results.records import Decision

log = logging.getLogger(__name__)
api = NinjaAPI(title="Trasloco", version="1", docs_url=None, openapi_url="/openapi.json")
for stop in (
    sharing,
    sheets,
    moves,
    files,
    trash,
    deciding,
    acts,
    inventory,
    looking,
    fit,
    nearest,
    budget,
    own_shelf,
    light,
    proof,
    seen,
    gauge,
    own_pictures,
    handover,
):
    api.add_router("", stop.router)


@api.exception_handler(Refused)
def _refused(request: HttpRequest, error: Refused) -> HttpResponse:
    return JsonResponse(told(error), status=422)


@api.exception_handler(ValidationError)
def _invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
    first = error.errors[0] if error.errors else {}
    if first.get("loc", ())[:2] == ("body", "decisions"):
        return _refused(request, _undecidable(request.body))
    return refusal(
        422,
        f"{first.get('msg', 'The request is not valid')}.",
        " · ".join(str(p) for p in first.get("loc", ())),
        "Mend this field and try again.",
    )


def _undecidable(body: bytes) -> Refused:
    """Why the first of some decisions that cannot be is none."""
    try:
        for row in json.loads(body):
            typed(Decision(str(row["target"]), str(row["field"]), row.get("value")))
    except Refused as refused:
        return refused
    except (ValueError, TypeError, KeyError, AttributeError, RecursionError):
        pass
    return Refused(
        "These are no decisions.", "the request", "Send a list, each with a target, a field and a value."
    )


@api.exception_handler(Http404)
def _gone(request: HttpRequest, error: Http404) -> HttpResponse:
    return refusal(404, "There is nothing here.", request.path, "Go back to the desk.")


@api.exception_handler(Exception)
def _unexpected(request: HttpRequest, error: Exception) -> HttpResponse:
    """What nobody foresaw: written to the log under a number, told without a trace of it. A full disk and the
    like are told as what they are.
    """
    fault = fault_of(error)
    if fault is not None:
        log.warning("%s at %s: %s", fault.told.what, request.path[:200], error)
        return JsonResponse(told(fault.told), status=fault.status)
    number = secrets.token_hex(3)
    log.error("unexpected %s at %s", number, request.path[:200], exc_info=error)
    return refusal(
        500,
        f"Something unexpected went wrong; it stands in the log under {number}.",
        request.path,
        "Nothing was lost. Try again, or report it with this number.",
    )


@api.exception_handler(HttpError)
def _http(request: HttpRequest, error: HttpError) -> HttpResponse:
    return refusal(error.status_code, str(error), request.path, "Go back and try again.")
