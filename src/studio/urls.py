"""The addresses: the API, and one page for everything else."""

from collections.abc import Callable

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse
from django.urls import path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe

from studio.api import api
from studio.following import following


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


def _saying(status: int, detail: str) -> Callable[..., HttpResponse]:
    """What answers where no route does: JSON with a sentence under the API, plain words elsewhere."""

    def answer(request: HttpRequest, *_: object, **__: object) -> HttpResponse:
        if request.path.startswith("/api/"):
            return JsonResponse({"detail": detail}, status=status)
        return HttpResponse(detail, status=status, content_type="text/plain; charset=utf-8")

    return answer


handler400 = _saying(400, "This request cannot be read, or came for another host. Nothing was changed.")
handler403 = _saying(403, "This page has been open too long. Reload it and try again.")
handler404 = _saying(404, "That is not here, or no longer.")
handler500 = _saying(500, "Something went wrong here, not with your picture. What was saved is kept.")
urlpatterns = [
    path("api/portraits/<uuid:portrait_id>/following", following),
    path("api/", api.urls),
    re_path(r"^(?!api/|static/|assets/).*$", page),
]
