"""Two small guards: no other site may change anything here, and every page address gives the one page."""

from urllib.parse import urlsplit

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse


class SameOriginOnly:
    """Refuses changes that another web site's page asks this one to make."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        origin = request.headers.get("Origin")
        unsafe = request.method not in ("GET", "HEAD", "OPTIONS")
        if unsafe and origin and urlsplit(origin).netloc != request.get_host():
            return JsonResponse({"code": "origin", "detail": "Changes are taken from this application's own pages only."}, status=403)
        return self.get_response(request)


class OnePage:
    """Addresses that are neither API nor file belong to the front end's router."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        wants_page = request.method == "GET" and "text/html" in request.headers.get("Accept", "")
        index = settings.WEB_DIST / "index.html"
        if response.status_code == 404 and wants_page and not request.path.startswith("/api/") and index.exists():
            return FileResponse(index.open("rb"), content_type="text/html", headers={"Cache-Control": "no-cache"})
        return response
