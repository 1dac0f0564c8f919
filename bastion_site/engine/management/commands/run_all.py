"""Web server and workers as one supervised process: what dies is started again, what stops, stops together."""

import ctypes
import os
import signal
import subprocess
import sys
import time

from django.core.management.base import BaseCommand

from bastion_site.engine.queue import recover
from bastion_site.engine.refresh import catch_up

_PR_SET_PDEATHSIG = 1
QUEUES = ("pieces", "plan")


def _die_with_parent() -> None:
    """A child of ours never outlives us, however we end."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C reaches the whole group; the supervisor passes it on in order


class Command(BaseCommand):
    help = "Run the web server and the workers until stopped."

    def add_arguments(self, parser) -> None:
        parser.add_argument("--port", type=int, default=8420)

    def handle(self, *args, port: int, **options) -> None:
        self.stopping = False
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, self._stop)
        commands = {
            "web": [
                sys.executable, "-m", "gunicorn", "--bind", f"127.0.0.1:{port}", "--workers", "1", "--worker-class", "gthread", "--threads", "8",
                "--timeout", "120", "--graceful-timeout", "2", "--log-level", "warning", "bastion_site.wsgi",
            ],
            **{
                queue: [
                    sys.executable, "manage.py", "db_worker", "--queue-name", queue, "--interval", "0.2", "--no-startup-delay", "--verbosity", "0",
                ]
                for queue in QUEUES
            },
        }  # fmt: skip
        catch_up()
        running: dict[str, subprocess.Popen] = {}
        failures = dict.fromkeys(commands, 0)
        while not self.stopping:
            for name, command in commands.items():
                child = running.get(name)
                if child is not None and child.poll() is None:
                    continue
                if child is not None:
                    failures[name] += 1
                    self.stderr.write(f"{name} ended ({child.returncode}); starting it again.")
                    if name == "web" and failures[name] > 3:
                        self.stderr.write(f"The web server does not start. Is port {port} in use? Try another one with --port.")
                        self._end(running)
                        sys.exit(1)
                if name in QUEUES:
                    recover((name,))
                running[name] = subprocess.Popen(command, preexec_fn=_die_with_parent, env=os.environ)
            time.sleep(0.3)
        self._end(running)

    def _stop(self, *_: object) -> None:
        self.stopping = True

    def _end(self, running: dict[str, subprocess.Popen]) -> None:
        for child in running.values():
            child.terminate()
        until = time.monotonic() + 4
        for child in running.values():
            try:
                child.wait(max(until - time.monotonic(), 0.1))
            except subprocess.TimeoutExpired:
                child.kill()  # its job is repeatable and is found again at the next start
