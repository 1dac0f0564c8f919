"""Every error leaves the site as {code, detail}: what is wrong, where, what to do."""

import errno
import sys

from django.core.exceptions import ValidationError as ModelInvalid
from django.db import OperationalError
from django.http import JsonResponse
from rest_framework import status
from rest_framework.exceptions import APIException, ValidationError
from rest_framework.response import Response
from rest_framework.views import exception_handler

from bastion_core.errors import BastionError


class Changed(APIException):
    """Somebody else changed the same record since it was read."""

    status_code = status.HTTP_409_CONFLICT
    default_detail = "This piece was changed in another window since you opened it. It has been loaded anew; make your change once more."
    default_code = "changed"


class NotYet(APIException):
    """Something is asked for that has not been computed yet."""

    status_code = status.HTTP_409_CONFLICT
    default_code = "not_yet"


class TooLarge(APIException):
    """An upload over the limit."""

    status_code = status.HTTP_413_REQUEST_ENTITY_TOO_LARGE
    default_code = "too_large"


DISK_FULL = {
    "code": "disk_full",
    "detail": "The disk is full: nothing was kept of this, and nothing that was there is lost. Free some space and try again.",
}


BUSY = {"code": "busy", "detail": "Several computations are waiting already. Try again in a few seconds."}


class Busy(Exception):
    """Too many are waiting for an answer already."""


def is_disk_full(problem: BaseException) -> bool:
    """Whether an error says that there is no room left."""
    if isinstance(problem, OperationalError):
        return "disk is full" in str(problem)
    return isinstance(problem, OSError) and problem.errno in (errno.ENOSPC, errno.EDQUOT)


def broken_down(request) -> JsonResponse:
    """What is answered where nothing else caught an error."""
    if is_disk_full(sys.exc_info()[1] or Exception()):
        return JsonResponse(DISK_FULL, status=507)
    return JsonResponse({"code": "broken", "detail": "Something broke down here. Nothing was lost; try it once more."}, status=500)


def not_here(request, exception) -> JsonResponse:
    """What is answered at an address that leads nowhere."""
    return JsonResponse({"code": "not_found", "detail": "Nothing is at this address."}, status=404)


def for_the_maker(problem: Exception, context: dict) -> Response | None:
    """DRF's exception handler, with the core's errors and a full disk told in their own words."""
    if isinstance(problem, BastionError):
        field = {"field": problem.field} if problem.field else {}
        return Response({"code": problem.code, "detail": str(problem), **field}, status=400)
    if isinstance(problem, Busy):
        return Response(BUSY, status=503, headers={"Retry-After": "5"})
    if is_disk_full(problem):
        return Response(DISK_FULL, status=507)
    if isinstance(problem, ModelInvalid):
        problem = ValidationError(problem.messages)
    response = exception_handler(problem, context)
    if response is not None:
        codes = getattr(problem, "default_code", "error")
        named = next(iter(response.data), None) if isinstance(problem, ValidationError) and isinstance(response.data, dict) else None
        field = {"field": named} if named and named != "non_field_errors" else {}
        response.data = {"code": codes, "detail": _sentence(response.data), **field}
    return response


def _sentence(data: object) -> str:
    """DRF's nested messages as one text, each with the field it is about."""
    if isinstance(data, dict):
        if set(data) == {"detail"}:
            return str(data["detail"])
        return " ".join(f"{key}: {_sentence(value)}" if key != "non_field_errors" else _sentence(value) for key, value in data.items())
    if isinstance(data, list):
        return " ".join(_sentence(item) for item in data)
    return str(data)
