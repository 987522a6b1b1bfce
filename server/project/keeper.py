"""What answers are made of, kept in the process's store."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from server.moves.store import store
from trasloco.results.records import keeping


class Keeper:
    """Gives the core the store to keep parts of results in, while a request is answered."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        with keeping(store):
            return self.get_response(request)
