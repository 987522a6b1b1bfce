"""Pages of other sites must not be able to change anything here: requests that write need the same origin."""

from collections.abc import Callable
from urllib.parse import urlsplit

from django.http import HttpRequest, HttpResponse, JsonResponse


class SameOriginMiddleware:
    """Refuses writing requests whose Origin header names another host.

    Programs that send none (scripts) pass.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        origin = request.headers.get("Origin")
        if (
            request.method not in ("GET", "HEAD", "OPTIONS")
            and origin
            and urlsplit(origin).netloc != request.get_host()
        ):
            return JsonResponse(
                {
                    "what": "The request came from another site.",
                    "where": origin,
                    "remedy": "Open Trasloco itself and try again.",
                },
                status=403,
            )
        return self.get_response(request)
