"""Routes: the API, and the single page for everything else."""

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.urls import path, re_path

from syntonos.server.api.app import api


def page(request: HttpRequest) -> HttpResponse:
    """Serve the front end; it finds its own place from the address."""
    index = settings.WEB / "index.html"
    if not index.is_file():
        raise Http404("The front end is not built: run `make setup`.")
    response = HttpResponse(index.read_bytes(), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


urlpatterns = [path("api/", api.urls), re_path(r"^(?!api/|assets/).*$", page)]
