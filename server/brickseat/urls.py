"""Addresses: the API under /api/, everything else is the page."""

from django.http import HttpRequest, HttpResponse
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie

from brickseat.api import api
from brickseat.settings import WEB


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    index = WEB / "index.html"
    if not index.exists():
        return HttpResponse("The front end is not built yet: run make setup.", status=503, content_type="text/plain")
    return HttpResponse(index.read_bytes(), headers={"Cache-Control": "no-cache"})


handler404 = "brickseat.api.errors.not_found"
handler500 = "brickseat.api.errors.server_error"
urlpatterns = [path("api/", api.urls), re_path(r"^(?!api/|assets/|ws/).*$", page)]
