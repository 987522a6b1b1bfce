"""What answers are made of, kept in the process's store."""

from __future__ import annotations

import re
from collections.abc import Callable
from contextlib import nullcontext

from django.http import HttpRequest, HttpResponse

from server.moves.store import store
from trasloco.results.records import keeping

_MOVE = re.compile(r"/api/moves/(\d{1,18})(?:/|$)")


class Keeper:
    """Gives the core the store to keep parts of results in, while a request is answered."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        found = _MOVE.match(request.path)
        about = store.of(int(found[1])) if found is not None else nullcontext()
        with keeping(store), about:
            return self.get_response(request)
