"""Web server and workers as one supervised process: what dies is started again, what stops, stops together."""

import fcntl
import os
import signal
import socket
import subprocess
import sys
import time
from collections import deque

from django.conf import settings
from django.core.management.base import BaseCommand

from bastion_core.devices.printer import Manner
from bastion_core.engine.keeping import whole
from bastion_site.engine.process import die_with_parent
from bastion_site.engine.queue import put_back, recover
from bastion_site.engine.refresh import catch_up
from bastion_site.engine.sweep import sweep
from bastion_site.shop.models import Printer

QUEUES = ("pieces", "plan")
WITHIN_S, MOST_FAILURES = 60.0, 3
"""A web server that dies so often within so long does not start; one that dies now and then is started again for ever."""
_PATIENCE_S, _PAUSE_S = 10.0, 8.0


def _die_with_parent() -> None:
    """A child of ours never outlives us, however we end."""
    die_with_parent()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl-C reaches the whole group; the supervisor passes it on in order


def stand_ins() -> dict[str, list[str]]:
    """The command of every simulated printer of the shop."""
    found = {}
    for printer in Printer.objects.filter(stand_in__isnull=False, active=True).exclude(address=""):
        how = whole(Manner, printer.stand_in)
        found[f"printer {printer.name}"] = [
            sys.executable, "-m", "bastion_core", "printer", printer.name, "--port", printer.address.rsplit(":", 1)[1].strip("/"),
            "--speed-up", f"{how.speed_up:g}", "--pace", f"{how.pace:g}", "--fails-per-h", f"{how.fails_per_h:g}", "--seed", str(how.seed),
            *(word for hour, cause in how.fail_at for word in ("--fail-at", f"{hour:g}:{cause}")),
        ]  # fmt: skip
    return found


class Command(BaseCommand):
    help = "Run the web server and the workers until stopped."

    def add_arguments(self, parser) -> None:
        parser.add_argument("--port", type=int, default=8420)
        parser.add_argument("--once", default="", help="a further command of ours, run once beside the others")

    def handle(self, *args, port: int, once: str = "", **options) -> None:
        self.stopping = False
        lock = self._lock()
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
            "watch": [sys.executable, "manage.py", "watch_printers", "--verbosity", "0"],
            **stand_ins(),
            **({once: [sys.executable, "manage.py", once, "--verbosity", "0"]} if once else {}),
        }  # fmt: skip
        sweep(everything=True)
        catch_up()
        running: dict[str, subprocess.Popen] = {}
        not_before: dict[str, float] = {}
        deaths: deque[float] = deque(maxlen=MOST_FAILURES + 1)
        while not self.stopping:
            for name, command in commands.items():
                child = running.get(name)
                if child is not None and (child.poll() is None or name == once):
                    continue
                if time.monotonic() < not_before.get(name, 0.0):
                    continue
                if name not in ("web", *QUEUES):
                    # A simulated printer whose port is taken stays down; it must not be started without a pause.
                    not_before[name] = time.monotonic() + _PAUSE_S
                if child is not None:
                    self.stderr.write(f"{name} ended ({child.returncode}); starting it again.")
                    if name == "web":
                        deaths.append(time.monotonic())
                        if len(deaths) == deaths.maxlen and deaths[-1] - deaths[0] < WITHIN_S:
                            self.stderr.write(self._why(port, child.returncode))
                            self._end(running)
                            sys.exit(1)
                if name in QUEUES:
                    recover((name,))
                quiet = subprocess.DEVNULL if name.startswith("printer ") else None
                running[name] = subprocess.Popen(
                    command, preexec_fn=_die_with_parent, env=os.environ, pass_fds=(lock.fileno(),), stdout=quiet
                )
            time.sleep(0.3)
        self._end(running)

    def _lock(self):
        """The data folder's lock, which our children hold too: two supervisors, or one and the workers of another, never work on one folder."""
        settings.DATA.mkdir(parents=True, exist_ok=True)
        lock = (settings.DATA / "running").open("a+")
        until = time.monotonic() + _PATIENCE_S
        while True:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                if time.monotonic() > until:
                    lock.seek(0)
                    self.stderr.write(
                        f"Another Odd Bastion works on {settings.DATA} (process {lock.read().strip()}). Stop it, or take another folder with --data."
                    )
                    sys.exit(1)
                time.sleep(0.2)
                continue
            lock.truncate(0)
            lock.write(str(os.getpid()))
            lock.flush()
            return lock

    def _why(self, port: int, code: int) -> str:
        """What is known of a web server that does not stay up."""
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                return f"The web server does not start: port {port} is in use. Try another one with --port."
        ended = f"signal {-code}" if code < 0 else f"code {code}"
        return f"The web server ended {MOST_FAILURES + 1} times within a minute, the last time with {ended}; what it said stands above."

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
                child.wait()
        put_back(QUEUES)
