"""The application as one process: a killed worker, Ctrl-C, and files that stay."""

import json
import os
import signal
import subprocess
import tempfile
import time
import unittest
import urllib.request
import uuid
from pathlib import Path

from django.test import tag

from bastion_core.formats.stl import write_binary_stl
from bastion_core.tests.shapes import BUNNY, dome
from e2e.shots import get, running, wait_until_idle


def post(address: str, data: dict) -> dict:
    request = urllib.request.Request(address, json.dumps(data).encode(), {"Content-Type": "application/json"}, method="POST")
    with urllib.request.urlopen(request, timeout=30) as answer:
        return json.load(answer)


def send_file(address: str, build: int, path: Path) -> dict:
    """Upload a file the way a browser does."""
    edge = uuid.uuid4().hex
    body = (
        f'--{edge}\r\nContent-Disposition: form-data; name="build"\r\n\r\n{build}\r\n'
        f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{path.name}"\r\n'
        "Content-Type: application/octet-stream\r\n\r\n"
    ).encode()
    body += path.read_bytes() + f"\r\n--{edge}--\r\n".encode()
    request = urllib.request.Request(f"{address}/api/pieces/upload/", body, {"Content-Type": f"multipart/form-data; boundary={edge}"})
    with urllib.request.urlopen(request, timeout=60) as answer:
        return json.load(answer)


def processes(words: str) -> list[int]:
    """Process numbers whose command line holds ``words``."""
    found = []
    for folder in Path("/proc").iterdir():
        if folder.name.isdigit():
            try:
                command = (folder / "cmdline").read_bytes().replace(b"\0", b" ").decode()
            except OSError:
                continue
            if words in command and int(folder.name) != os.getpid():
                found.append(int(folder.name))
    return found


def children(of: int) -> list[int]:
    listed = subprocess.run(["ps", "-o", "pid=", "--ppid", str(of)], capture_output=True, text=True).stdout
    return [int(p) for p in listed.split()]


@tag("browser")
class OneProcess(unittest.TestCase):
    def setUp(self):
        made = tempfile.TemporaryDirectory()
        self.addCleanup(made.cleanup)
        self.folder = Path(made.name)

    def test_killed_worker_is_replaced_and_its_job_done_again(self):
        model = self.folder / "helm.stl"
        write_binary_stl(dome(160, 204, 280, segments=500).mesh(), model)
        with running(self.folder / "data", demo=False) as address:
            post(f"{address}/api/printers/", {"name": "p", "x_mm": 230, "y_mm": 230, "z_mm": 230})
            build = post(f"{address}/api/builds/", {"name": "b"})["id"]
            piece = send_file(address, build, model)["id"]
            until = time.monotonic() + 60
            while time.monotonic() < until:
                job = get(f"{address}/api/pieces/{piece}/")["job"]
                if job["kind"] == "plan" and job["state"] == "running":
                    break
                time.sleep(0.05)
            self.assertEqual((job["kind"], job["state"]), ("plan", "running"))
            (supervisor,) = processes(f"run_all --port {address.rsplit(':', 1)[1]}")
            workers = [p for p in children(supervisor) if p in processes("--queue-name plan")]
            self.assertEqual(len(workers), 1)
            os.kill(workers[0], signal.SIGKILL)
            rows = wait_until_idle(address, build, 400)
            self.assertEqual(rows[0]["job"]["state"], "done")
            self.assertEqual(rows[0]["stations"]["print"]["state"], "fresh")

    def test_ctrl_c_ends_all_and_nothing_is_lost(self):
        with running(self.folder / "data", demo=False) as address:
            (supervisor,) = processes(f"run_all --port {address.rsplit(':', 1)[1]}")
            self.assertEqual(len(children(supervisor)), 4, "the web server, two workers, and what watches the printers")
            family = children(supervisor)
            build = post(f"{address}/api/builds/", {"name": "kept"})["id"]
            send_file(address, build, BUNNY)
            os.kill(supervisor, signal.SIGINT)
            until = time.monotonic() + 10
            while any(Path(f"/proc/{p}").exists() for p in family) and time.monotonic() < until:
                time.sleep(0.1)
            self.assertEqual([p for p in family if Path(f"/proc/{p}").exists()], [])
        with running(self.folder / "data", demo=False) as address:
            rows = wait_until_idle(address, build, 60)
            self.assertEqual(get(f"{address}/api/builds/")[0]["name"], "kept")
            self.assertEqual(get(f"{address}/api/pieces/{rows[0]['id']}/")["pieces"]["triangles"], 3674)

    def test_the_page_and_its_files_come_from_here(self):
        with running(self.folder / "data", demo=False) as address:
            request = urllib.request.Request(f"{address}/build/1", headers={"Accept": "text/html"})
            with urllib.request.urlopen(request) as answer:
                page = answer.read().decode()
            self.assertIn('id="root"', page)
            self.assertNotIn("https://", page)
            with self.assertRaises(urllib.error.HTTPError) as refused:
                urllib.request.urlopen(urllib.request.Request(f"{address}/api/shop/", headers={"Host": "evil.example"}))
            self.assertEqual(refused.exception.code, 400)
