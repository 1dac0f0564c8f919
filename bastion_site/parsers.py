"""What is taken for a request's content."""

from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser


class PlainJSON(JSONParser):
    """JSON that no person nests: brackets within brackets without end are refused like any other damage."""

    def parse(self, stream, media_type=None, parser_context=None):
        try:
            return super().parse(stream, media_type, parser_context)
        except RecursionError as error:
            raise ParseError("This JSON is nested too deeply.") from error
