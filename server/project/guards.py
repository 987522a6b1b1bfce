"""What a browser is let do: pages of other sites neither change nor show anything of here, bodies are bounded
before they are read, and nothing but our own scripts runs.
"""

from __future__ import annotations

import re
import shutil
from collections.abc import Callable
from urllib.parse import urlsplit

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse

from server.answers import refusal
from server.moves.faults import RESERVE_BYTES
from trasloco.results.coming_in import MOST_UPLOAD_BYTES

Answer = Callable[[HttpRequest], HttpResponse]
_UPLOADS = re.compile(
    r"/api/(moves(/\d+/(files|files/replace|use-file|seen|own-pictures|gauge/pictures|came-back))?|kept/bring)"
)
_MOST_BYTES = 16 * 2**20
_PARTS_BYTES = 16 * 2**20
"""What names and bounds of an upload's parts may add to its files."""
_POLICY = "; ".join(
    (
        "default-src 'self'",
        "img-src 'self' data: blob:",
        "connect-src 'self' blob: data:",
        "worker-src 'self' blob:",
        "style-src 'self' 'unsafe-inline'",
        "object-src 'none'",
        "base-uri 'none'",
        "form-action 'self'",
        "frame-ancestors 'none'",
    )
)
"""Scripts come from here alone, none stands in a page; the view loads its geometry through ``blob:``, and
elements carry their own widths and colours.
"""


class Guards:
    """Refuses what comes from other sites, what is no JSON or upload, and what is too large to be read."""

    def __init__(self, get_response: Answer) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = _refused(request) or self.get_response(request)
        response.headers.setdefault("Content-Security-Policy", _POLICY)
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        return response


def _refused(request: HttpRequest) -> JsonResponse | None:
    """The refusal of a request, None where it may pass."""
    writes = request.method not in ("GET", "HEAD", "OPTIONS")
    origin, site = request.headers.get("Origin"), request.headers.get("Sec-Fetch-Site", "none")
    elsewhere = origin is not None and urlsplit(origin).netloc != request.get_host()
    if (writes and (elsewhere or site not in ("same-origin", "none"))) or _shown_elsewhere(request, site):
        return refusal(403, "The request came from another site.", origin or site, "Open Trasloco itself.")
    if not writes or not request.path.startswith("/api/"):
        return None
    upload = request.method == "POST" and _UPLOADS.fullmatch(request.path) is not None
    length = request.headers.get("Content-Length", "")
    if request.headers.get("Transfer-Encoding") or (length and not length.isdigit()):
        return refusal(411, "The request does not say how long it is.", request.path, "Send its length.")
    most = MOST_UPLOAD_BYTES + _PARTS_BYTES if upload else _MOST_BYTES
    if length and int(length) > most:
        what = f"The request is larger than {most >> 20} MB."
        return refusal(413, what, request.path, "Send less, or split the delivery.")
    if upload and length and int(length) * 2 > shutil.disk_usage(settings.DATA_DIR).free - RESERVE_BYTES:
        what = "There is too little room on the disk for this delivery."
        return refusal(507, what, request.path, "Make room: remove what is not needed, then send it again.")
    kind = request.content_type
    if length not in ("", "0") and kind not in (
        ("multipart/form-data",) if upload else ("application/json",)
    ):
        wanted = "an upload of files" if upload else "JSON"
        return refusal(415, f"This takes {wanted}, not {kind or 'nothing'}.", request.path, f"Send {wanted}.")
    return None


def _shown_elsewhere(request: HttpRequest, site: str) -> bool:
    """Whether another site's page would show a picture or an answer of here. Links to pages may be followed."""
    return site == "cross-site" and request.path.startswith("/api/")
