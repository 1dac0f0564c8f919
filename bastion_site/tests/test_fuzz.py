"""Two thousand requests nobody means, at every address the API's own schema names: each is answered in words, none breaks anything down."""

import itertools
import json
import random
import tempfile
from pathlib import Path
from unittest import mock

from django.test import Client, TestCase
from drf_spectacular.generators import SchemaGenerator

from bastion_core.tests.shapes import box
from bastion_site.builds.models import Piece
from bastion_site.engine.process import Process
from bastion_site.testing import file_of, shop, stl_of, work_off
from bastion_site.wearers.models import MeasureLink

REQUESTS = 2000
NASTY = (
    None, True, False, 0, -1, 1e300, -1e300, 10**24, float("nan"), float("inf"), float("-inf"), "", "null", "NaN", "=1+1", "x" * 5000, "\0", "🜁‮",
    "../../etc/passwd", "1" * 24, [], {}, [[]], [None], [1e300], ["a"], [{}], {"": None}, {"values": 5}, [[[[[[1]]]]]], 0.5, 7, "holds", "2026-13-45",
)  # fmt: skip
BODIES = (b"null", b"[]", b"5", b'"x"', b"{", b"\xff\xfe\x00", b"[" * 100_000, b'{"a":' * 50_000, b"", b"NaN", b'{"version": 1e999}')
IDS = ("1", "0", "999999", "9" * 24, "-1", "x", "%00", "1.5", "١")


def _json(value: object) -> bytes:
    # Python writes NaN and Infinity as no JSON has them, which is what a careless client does too.
    return json.dumps(value).encode("utf-8", "surrogatepass")


class EveryAddress(TestCase):
    def setUp(self):
        self.random = random.Random(20261126)
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        build, wearer = shop()
        self.client = Client(raise_request_exception=False)
        uploaded = self.client.post(
            "/api/pieces/upload/", {"build": build.id, "file": file_of(stl_of(box(60, 40, 150), self.folder, "plate.stl"))}
        )
        self.assertLess(uploaded.status_code, 300, uploaded.content)
        work_off()
        self.token = MeasureLink.objects.create(wearer=wearer, token="t" * 32).token
        # Geometry asked for by a page is made elsewhere: here only its questions are checked.
        self.enterContext(mock.patch.object(Process, "ask", side_effect=_asked_on_the_spot))
        self.schema = SchemaGenerator().get_schema(request=None, public=True)

    def _resolved(self, schema: dict) -> dict:
        while "$ref" in schema or "allOf" in schema:
            schema = schema["allOf"][0] if "allOf" in schema else self.schema["components"]["schemas"][schema["$ref"].split("/")[-1]]
        return schema

    def _value(self, schema: dict, depth: int = 0) -> object:
        """Something of about the right shape, or nothing like it."""
        r, schema = self.random, self._resolved(schema)
        if depth > 4 or r.random() < 0.35:
            return r.choice(NASTY)
        for one in ("oneOf", "anyOf"):
            if one in schema:
                return self._value(r.choice(schema[one]), depth + 1)
        if "enum" in schema:
            return r.choice([*schema["enum"], "nothing"])
        kind = schema.get("type")
        if kind == "object":
            made = {k: self._value(v, depth + 1) for k, v in schema.get("properties", {}).items() if r.random() < 0.6}
            if isinstance(schema.get("additionalProperties"), dict):
                made |= {r.choice(("a", "stature_mm", "=x", "")): self._value(schema["additionalProperties"], depth + 1)}
            return made
        if kind == "array":
            return [self._value(schema.get("items", {}), depth + 1) for _ in range(r.choice((0, 1, 2, 3, 40)))]
        if kind in ("number", "integer"):
            return r.choice((0, 1, -1, 0.2, 3, 1e9, 1e300, 10**20, 1.05, 250))
        return r.choice(("a", "2026-11-26", "Spare plate", "head", "left", "x" * 300))

    def _asked(self, path: str, method: str, said: dict) -> tuple[str, dict]:
        """The address and what is sent to it."""
        r = self.random
        address = path
        for p in said.get("parameters", []):
            if p["in"] == "path":
                value = self.token if p["name"] == "token" else r.choice(IDS)
                value = str(Piece.objects.values_list("pk", flat=True).first() or 1) if r.random() < 0.6 and p["name"] != "token" else value
                address = address.replace(f"{{{p['name']}}}", value)
        query = {p["name"]: r.choice(NASTY[:24]) for p in said.get("parameters", []) if p["in"] == "query" and r.random() < 0.7}
        if query:
            address += "?" + "&".join(f"{k}={v}" for k, v in query.items() if "\0" not in str(v)).replace(" ", "%20").replace("#", "")
        if method in ("get", "head"):
            return address, {}
        content = said.get("requestBody", {}).get("content", {})
        if r.random() < 0.15:
            return address, {"data": r.choice(BODIES), "content_type": "application/json"}
        if "multipart/form-data" in content and "application/json" not in content:
            fields = self._resolved(content["multipart/form-data"]["schema"]).get("properties", {})
            made = {k: r.choice(("", "1", "x", "NaN", file_of(self.folder / "plate.stl"), "9" * 30)) for k in fields if r.random() < 0.7}
            return address, {"data": made, "multipart": True}
        schema = content.get("application/json", {}).get("schema")
        return address, {"data": _json(self._value(schema) if schema else r.choice(NASTY)), "content_type": "application/json"}

    def test_no_request_breaks_anything_down(self):
        operations = [
            (path, method, said)
            for path, methods in self.schema["paths"].items()
            for method, said in methods.items()
            if method in ("get", "post", "patch", "put", "delete")
        ]
        self.assertGreater(len(operations), 50)
        keeps = [o for o in operations if o[1] != "delete"]
        broken: dict[str, str] = {}
        for path, method, said in itertools.islice(itertools.cycle(keeps), REQUESTS):
            address, sent = self._asked(path, method, said)
            if sent.pop("multipart", False):
                answer = getattr(self.client, method)(address, sent["data"]) if method == "post" else self.client.generic(method, address)
            else:
                answer = self.client.generic(method.upper(), address, sent.get("data", b""), sent.get("content_type", "application/json"))
            body = b"".join(answer.streaming_content) if answer.streaming else answer.content
            if answer.status_code >= 500 and answer.status_code != 503:
                broken.setdefault(f"{method} {path}", f"{answer.status_code} {address[:120]} {sent!r:.300}")
            for leak in (b"Traceback", str(self.folder).encode(), b"/bastion-test-"):
                if leak in body:
                    broken.setdefault(f"{method} {path} leaks", f"{address[:120]} {sent!r:.200} {body[:200]!r}")
            if answer.status_code >= 400 and not body.startswith(b"{"):
                broken.setdefault(f"{method} {path} HTML", f"{answer.status_code} {address[:120]} {body[:80]!r}")
        # Deleting comes last, so that the rest has something to be asked about.
        for path, method, said in (o for o in operations if o[1] == "delete"):
            for _ in range(6):
                answer = self.client.delete(self._asked(path, method, said)[0])
                if answer.status_code >= 500:
                    broken.setdefault(f"{method} {path}", str(answer.status_code))
        self.assertEqual(broken, {}, "\n" + "\n".join(f"{k}: {v}" for k, v in broken.items()))


def _asked_on_the_spot(work, *arguments, timeout_s: float = 120.0, stop=None):
    return work(*arguments)
