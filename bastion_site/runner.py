"""Django's runner with a folder of its own for files, tasks that wait to be worked off, and one plain closing line."""

import json
import os
import shutil
import tempfile
import time
import unittest
from pathlib import Path

from django.conf import settings
from django.db import connection
from django.test.runner import DiscoverRunner
from django.test.utils import override_settings


class Timed(unittest.TextTestResult):
    """Also keeps how long each test took, with what its class prepared before it."""

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **kwargs)
        self.took_s: list[tuple[float, str]] = []
        self.last_s = time.monotonic()

    def stopTest(self, test):
        super().stopTest(test)
        now_s = time.monotonic()
        self.took_s.append((now_s - self.last_s, test.id()))
        self.last_s = now_s


class PlainRunner(DiscoverRunner):
    """Ends with “N passed, N failed”."""

    def get_resultclass(self):
        return super().get_resultclass() or Timed

    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        self.folder = Path(tempfile.mkdtemp(prefix="bastion-test-"))
        self.settings = override_settings(
            DATA=self.folder,
            MEDIA_ROOT=self.folder / "media",
            TASKS={"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend", "QUEUES": ["pieces", "plan"]}},
            JOBS_APART=False,
            ALLOWED_HOSTS=[*settings.ALLOWED_HOSTS, "testserver"],
        )
        self.settings.enable()
        # On disk: the live server and the test each have a connection of their own, as in real life; and one for each run of the tests.
        connection.settings_dict["TEST"]["NAME"] = self.folder / "test.sqlite3"

    def teardown_test_environment(self, **kwargs):
        self.settings.disable()
        shutil.rmtree(self.folder, ignore_errors=True)
        super().teardown_test_environment(**kwargs)

    def suite_result(self, suite, result, **kwargs):
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        passed = result.testsRun - failed - len(result.skipped)
        print(f"\n{passed} passed, {failed} failed", flush=True)
        if "BASTION_TALLY" in os.environ:
            (Path(os.environ["BASTION_TALLY"]) / str(os.getpid())).write_text(
                json.dumps({"passed": passed, "failed": failed, "took_s": getattr(result, "took_s", [])}), "utf-8"
            )
        return super().suite_result(suite, result, **kwargs)
