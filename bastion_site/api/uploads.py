"""Files sent in forms: one that is over the limit is refused in words wherever it is sent, never left out in silence."""

from django.conf import settings
from rest_framework.parsers import MultiPartParser

from bastion_site.errors import TooLarge


class Uploads(MultiPartParser):
    """A form with files, none over the limit."""

    def parse(self, stream, media_type=None, parser_context=None):
        request = parser_context["request"]._request
        length = int(request.META.get("CONTENT_LENGTH") or 0)
        if length > settings.MOST_UPLOAD_BYTES + 100_000:
            raise TooLarge(_over_limit())
        parsed = super().parse(stream, media_type, parser_context)
        if getattr(request, "over_limit", False):
            raise TooLarge(_over_limit())
        return parsed


def _over_limit() -> str:
    return f"The file is over the limit of {settings.MOST_UPLOAD_BYTES // 1024**2} MB. Reduce its triangles, or split it, before bringing it in."
