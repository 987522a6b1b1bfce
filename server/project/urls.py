"""All addresses: the API, and the front end for everything else."""

from django.conf import settings
from django.contrib import admin
from django.http import FileResponse, HttpRequest, HttpResponse
from django.urls import path, re_path

from server.moves import linked
from server.moves.api import api
from server.project.settings import WEB_DIST


def front_end(request: HttpRequest) -> HttpResponse | FileResponse:
    """The page; the front end reads the address itself."""
    page = WEB_DIST / "index.html"
    if not page.is_file():
        return HttpResponse(
            "The front end is not built. Run make demo.", status=503, content_type="text/plain"
        )
    response = FileResponse(page.open("rb"), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


urlpatterns = [
    path("api/", api.urls),
    *linked.urlpatterns,
    *([path("admin/", admin.site.urls)] if settings.ACCOUNTS else []),
    re_path(r"^(?!api/|assets/|static/).*$", front_end),
]
