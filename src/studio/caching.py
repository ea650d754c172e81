"""What the API answers is somebody's own: nothing on the way keeps it."""

from django.http import HttpRequest, HttpResponse
from django.utils.deprecation import MiddlewareMixin


class NoStore(MiddlewareMixin):
    """``Cache-Control: no-store`` on every answer of the API that says nothing else."""

    def process_response(self, request: HttpRequest, response: HttpResponse) -> HttpResponse:
        """The answer, with the header."""
        if request.path.startswith("/api/") and not response.has_header("Cache-Control"):
            response["Cache-Control"] = "no-store"
        return response
