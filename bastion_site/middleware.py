"""Small guards: no other site may ask anything here, answers say what a browser may do with them, every page address gives the one page."""

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse, JsonResponse

POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; connect-src 'self' data: blob:; "
    "worker-src 'self' blob:; object-src 'none'; base-uri 'self'; form-action 'self'; frame-ancestors 'none'"
)
"""Everything comes from here. The theme writes styles into the page; meshes and their pictures are unpacked into blobs."""
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}


class Headers:
    """Says with every answer what a browser may do with it."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        for name, value in HEADERS.items():
            response.headers.setdefault(name, value)
        return response


class SameOriginOnly:
    """Refuses what another web site's page asks: changes, and questions too, as some of them compute."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        origin, fetched = request.headers.get("Origin"), request.headers.get("Sec-Fetch-Site", "none")
        unsafe = request.method not in ("GET", "HEAD", "OPTIONS")
        foreign = bool(origin) and origin != f"{request.scheme}://{request.get_host()}"
        elsewhere = fetched not in ("same-origin", "none") and (unsafe or request.path.startswith("/api/"))
        if (unsafe and foreign) or elsewhere:
            return JsonResponse({"code": "origin", "detail": "This answers the application's own pages only."}, status=403)
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
