"""A printer that is not there: a small service on this machine that prints a plate at a speed-up, tells how far it is, and fails as told or at random.

HTTP and JSON of our own shape, described in docs/printers.md::

    GET  /status  {"name", "state", "job", "progress", "hour", "left_h", "bed_deg_c", "nozzle_deg_c", "cause", "speed_up"}
    POST /print   {"job", "name", "hours"}      begins a plate; 409 where one is being printed
    POST /pause   POST /resume   POST /stop

``state`` is idle, printing, paused, done or failed. Hours are the printer's own: with a speed-up of 600 one takes six seconds.
"""

import json
import time
from collections.abc import Callable
from dataclasses import dataclass
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from threading import Lock
from typing import Any, Literal

import numpy as np

from bastion_core.errors import RecipeProblem
from bastion_core.schedule.causes import CAUSES
from bastion_core.schedule.learn import FIRST_LAYER_H

State = Literal["idle", "printing", "paused", "done", "failed"]
BED_DEG_C, NOZZLE_DEG_C, ROOM_DEG_C = 60.0, 210.0, 21.0
_WARM_H = 0.1
_MOST_BODY = 10_000


@dataclass(frozen=True)
class Manner:
    """How a simulated printer behaves. ``pace`` is its true factor on told hours; ``fail_at`` (hour, cause) is scripted, rates are at random."""

    speed_up: float = 600.0
    pace: float = 1.0
    fail_at: tuple[tuple[float, str], ...] = ()
    """Each once, in the prints after one another."""
    fails_per_h: float = 0.0
    lost_at: tuple[float, float] | None = None
    """From this hour of a print on it does not answer for so many of its hours."""
    seed: int = 1

    def __post_init__(self) -> None:
        if not 0.1 <= self.speed_up <= 1e6:
            raise RecipeProblem("A speed-up of 0.1 to 1,000,000 is possible.")
        if not 0.2 <= self.pace <= 10 or self.fails_per_h < 0:
            raise RecipeProblem("A pace of 0.2 to 10 and a rate of failures of 0 or more are possible.")
        for hour, cause in self.fail_at:
            if hour < 0 or cause not in CAUSES:
                raise RecipeProblem(f"“{hour:g}:{cause}” is no failure. Write HOUR:CAUSE, with one of {', '.join(CAUSES)}.")


class Simulated:
    """The machine itself, told the time by ``clock`` (seconds)."""

    def __init__(self, name: str, manner: Manner = Manner(), clock: Callable[[], float] = time.monotonic) -> None:
        self.name, self.manner, self._clock = name, manner, clock
        self._rng = np.random.default_rng(manner.seed)
        self._script = list(manner.fail_at)
        self._lock = Lock()
        self._job, self._plate, self._hours = "", "", 0.0
        self._began = self._before_h = 0.0
        self._fails: tuple[float, str] | None = None
        self._state: State = "idle"

    def begin(self, job: str, plate: str, hours: float) -> None:
        """Print a plate that is told to take so many hours. RecipeProblem where one is being printed, or the hours cannot be."""
        with self._lock:
            self._settle()
            if self._state in ("printing", "paused"):
                raise RecipeProblem(f"{self.name} is printing {self._plate}. Stop it first.")
            if not 0 < hours < 5000:
                raise RecipeProblem(f"{self.name}: a print takes more than 0 and less than 5000 hours.")
            self._job, self._plate, self._hours = job, plate, hours * self.manner.pace
            self._began, self._before_h, self._state = self._clock(), 0.0, "printing"
            self._fails = self._script.pop(0) if self._script else self._at_random()
            if self._fails is not None and self._fails[0] >= self._hours:
                self._fails = None

    def _at_random(self) -> tuple[float, str] | None:
        if not self.manner.fails_per_h:
            return None
        hour = float(self._rng.exponential(1 / self.manner.fails_per_h))
        likely = ("lost_bed",) if hour < FIRST_LAYER_H else ("knocked", "support", "under", "warped")
        return hour, str(self._rng.choice(likely))

    def pause(self) -> None:
        """Hold the print."""
        with self._lock:
            self._settle()
            if self._state == "printing":
                self._before_h, self._state = self._hour(), "paused"

    def resume(self) -> None:
        """Go on."""
        with self._lock:
            if self._state == "paused":
                self._began, self._state = self._clock(), "printing"

    def stop(self) -> None:
        """Give the print up."""
        with self._lock:
            self._settle()
            if self._state in ("printing", "paused"):
                self._before_h, self._state, self._fails = self._hour(), "failed", (self._hour(), "stopped")

    def _hour(self) -> float:
        if self._state != "printing":
            return self._before_h
        return self._before_h + (self._clock() - self._began) * self.manner.speed_up / 3600

    def _settle(self) -> None:
        """What has come of the print by now."""
        if self._state != "printing":
            return
        hour = self._hour()
        if self._fails is not None and hour >= self._fails[0]:
            self._before_h, self._state = self._fails[0], "failed"
        elif hour >= self._hours:
            self._before_h, self._state = self._hours, "done"

    @property
    def answers(self) -> bool:
        """Whether its connection stands now."""
        lost = self.manner.lost_at
        with self._lock:
            self._settle()
            return not (lost is not None and self._state == "printing" and lost[0] <= self._hour() < lost[0] + lost[1])

    def status(self) -> dict[str, Any]:
        """As it is told over the wire."""
        with self._lock:
            self._settle()
            hour = self._hour()
            warm = min(hour / _WARM_H, 1.0) if self._state in ("printing", "paused") else 0.0
            return {
                "name": self.name,
                "state": self._state,
                "job": self._job,
                "plate": self._plate,
                "progress": round(min(hour / self._hours, 1.0), 4) if self._hours else 0.0,
                "hour": round(hour, 4),
                "left_h": round(max(self._hours - hour, 0.0), 4),
                "bed_deg_c": round(ROOM_DEG_C + (BED_DEG_C - ROOM_DEG_C) * warm, 1),
                "nozzle_deg_c": round(ROOM_DEG_C + (NOZZLE_DEG_C - ROOM_DEG_C) * warm, 1),
                "cause": self._fails[1] if self._state == "failed" and self._fails else "",
                "speed_up": self.manner.speed_up,
            }


def service(machine: Simulated, port: int = 0) -> ThreadingHTTPServer:
    """The machine's service on this machine only; ``serve_forever`` runs it. Port 0 takes a free one. OSError where the port is taken."""

    class Answers(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            self._answer(lambda _: None)

        def do_POST(self) -> None:
            said = {
                "/print": lambda b: machine.begin(str(b["job"]), str(b.get("name", "")), float(b["hours"])),
                "/pause": lambda _: machine.pause(),
                "/resume": lambda _: machine.resume(),
                "/stop": lambda _: machine.stop(),
            }.get(self.path)
            if said is None:
                self._send(404, {"detail": "Nothing is at this address."})
            else:
                self._answer(said)

        def _answer(self, do: Callable[[dict[str, Any]], None]) -> None:
            if not machine.answers:
                self.connection.close()
                return
            if self.command == "GET" and self.path != "/status":
                self._send(404, {"detail": "Nothing is at this address."})
                return
            try:
                length = min(int(self.headers.get("Content-Length") or 0), _MOST_BODY)
                body = json.loads(self.rfile.read(length) or b"{}")
                do(body if isinstance(body, dict) else {})
            except RecipeProblem as problem:
                self._send(409, {"detail": str(problem)})
            except (ValueError, KeyError, TypeError):
                self._send(400, {"detail": "Send JSON with job, name and hours."})
            else:
                self._send(200, machine.status())

        def _send(self, code: int, body: dict[str, Any]) -> None:
            text = json.dumps(body).encode()
            self.send_response(code)
            self.send_header("Content-Type", "application/json")
            self.send_header("Content-Length", str(len(text)))
            self.end_headers()
            self.wfile.write(text)

        def log_message(self, format: str, *args: object) -> None:
            """Nothing: it is asked every few seconds."""

    return ThreadingHTTPServer(("127.0.0.1", port), Answers)
