"""The addresses: the API, and one page for everything else."""

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe

from studio.api import api


@require_safe
@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse | FileResponse:
    """The front end's page; its own router reads the address."""
    index = settings.WEB / "index.html"
    if not index.exists():
        return HttpResponse("The pages are not built yet: run ./start.", status=503, content_type="text/plain")
    response = HttpResponse(index.read_bytes(), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response


urlpatterns = [path("api/", api.urls), re_path(r"^(?!api/|static/|assets/).*$", page)]
