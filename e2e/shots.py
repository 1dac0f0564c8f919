"""Refresh docs/screenshots from the demo: one picture a main view."""

import argparse
import json
import os
import re
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from contextlib import contextmanager
from pathlib import Path

from e2e.browser import chromium, page_of

ROOT = Path(__file__).resolve().parent.parent
OUT = ROOT / "docs" / "screenshots"


CLICKS = {
    "scan": ("Scan", "Scan with the simulated scanner"), "fit-way-in": ("Way in",),
}  # fmt: skip
"""Buttons pressed before a picture is taken."""


TRIED = "Nautilus helm, second watch"
PHONE, ON_A_PHONE = {"width": 390, "height": 844}, ("log",)


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


def get(address: str):
    with urllib.request.urlopen(address, timeout=30) as answer:
        return json.load(answer)


@contextmanager
def running(data: Path, demo: bool = True):
    """The whole application on a data folder; yields its address once it answers."""
    env = {**os.environ, "BASTION_DATA": str(data)}
    subprocess.run([sys.executable, "manage.py", "migrate", "-v0"], cwd=ROOT, env=env, check=True)
    if demo:
        subprocess.run([sys.executable, "manage.py", "load_demo"], cwd=ROOT, env=env, check=True)
    port = free_port()
    once = ["--once", "print_demo"] if demo else []
    server = subprocess.Popen([sys.executable, "manage.py", "run_all", "--port", str(port), *once], cwd=ROOT, env=env)
    address = f"http://127.0.0.1:{port}"
    try:
        for _ in range(100):
            try:
                get(f"{address}/api/shop/")
                break
            except OSError:
                time.sleep(0.2)
        yield address
    finally:
        server.send_signal(signal.SIGTERM)
        server.wait(15)


def wait_until_idle(address: str, build: int = 1, most_s: float = 600) -> list[dict]:
    """The Wall's rows once nothing is being computed."""
    until = time.monotonic() + most_s
    while time.monotonic() < until:
        rows = get(f"{address}/api/builds/{build}/wall/")["rows"]
        if not any(r["job"] and r["job"]["state"] in ("queued", "running") for r in rows):
            return rows
        time.sleep(1)
    raise TimeoutError("The demo was not computed in time.")


def tried(address: str, piece: int) -> list[int]:
    """The drafts of the piece that is too tight, made where there are none: its remedy, and finer layers."""
    there = [d["id"] for d in get(f"{address}/api/pieces/{piece}/drafts/")]
    for change in () if there else ({"scale": None}, {"layer_mm": 0.12}, {"scale": [1.2, 1.2, 1.2], "layer_mm": 0.28}):
        body = json.dumps(change).encode()
        asked = urllib.request.Request(f"{address}/api/pieces/{piece}/drafts/", body, {"Content-Type": "application/json"})
        with urllib.request.urlopen(asked, timeout=30) as answer:
            there.append(json.load(answer)["id"])
    until = time.monotonic() + 300
    while any(d["row"]["job"] and d["row"]["job"]["state"] in ("queued", "running") for d in get(f"{address}/api/pieces/{piece}/drafts/")):
        if time.monotonic() > until:
            raise TimeoutError("The drafts were not computed in time.")
        time.sleep(1)
    return there


def printed(address: str, build: int = 1, most_s: float = 400) -> None:
    """Wait for the demo's week of log, and the calendar after it."""
    until = time.monotonic() + most_s
    while time.monotonic() < until:
        if get(f"{address}/api/runs/log/?build={build}")["runs"] and get(f"{address}/api/builds/{build}/floor/")["state"] == "fresh":
            return
        time.sleep(2)
    raise TimeoutError("The demo's plates were not planned in time.")


def take(address: str, out: Path, only: str = "") -> None:
    """Walk the views and save a picture of each whose name holds ``only``."""
    rows = {r["name"]: r["id"] for r in wait_until_idle(address)}

    if only in "drafts":
        tried(address, rows[TRIED])

    if only in "printers" or only in "log":
        printed(address)

    def cell(name: str, station: str) -> str:
        return f"/build/1/piece/{rows[name]}/{station}"

    helm = "Nautilus helm"
    views = {
        "wall": "/build/1",
        "measure": cell(helm, "measure"),
        "scan": cell(helm, "measure"),
        "pieces-set": cell("Beacon helm", "pieces"),
        "fit-room": cell(helm, "fit"),
        "fit-way-in": cell("Heron greave left", "fit"),
        "fit-pair": cell("Harbour half-cuirass", "fit"),
        "suit": "/build/1/suit",
        "cut": cell(helm, "cut"),
        "join": cell(helm, "join"),
        "join-magnets": cell("Coxswain helm", "join"),
        "print": cell(helm, "print"),
        "assemble": cell("Channel buoy", "assemble"),
        "finish": cell("Nautilus helm, signal", "finish"),
        "bench": "/build/1",
        "shop": "/shop",
        "drafts": f"/build/1/piece/{rows[TRIED]}/drafts",
        "printers": "/build/1/printers",
        "log": "/build/1/log",
    }
    out.mkdir(parents=True, exist_ok=True)
    with chromium() as browser:
        for name, path in views.items():
            if only not in name:
                continue
            page = page_of(browser, size=PHONE) if name in ON_A_PHONE else page_of(browser)
            page.goto(address + path)
            page.wait_for_load_state("networkidle") if "/cut" not in path else page.locator("canvas").first.wait_for()
            if name.startswith("cut"):
                page.get_by_role("button", name="Plane 1").first.click() if name == "cut" else None
            for button in CLICKS.get(name, ()):
                page.get_by_role("button", name=button, exact=True).first.click()
            if name == "pieces-set":
                page.get_by_role("button", name="8 round", exact=True).click()
                page.get_by_role("table", name="Holes and slots").evaluate("e => e.scrollIntoView({block: 'center'})")
            if name == "measure":
                page.get_by_label("Chest girth (mm)").focus()
                page.get_by_role("img", name="Where Chest girth is taken").wait_for()
            if name == "scan":
                page.get_by_role("img", name="The scan from the side").wait_for(timeout=90_000)
            if name == "bench":
                page.keyboard.press("s")
            if name == "assemble":
                page.get_by_role("list", name="Steps").get_by_role("button", name=re.compile("Glue")).click()
            page.wait_for_timeout(2500)
            page.screenshot(path=out / f"{name}.png")
            if page.faults or page.strays:
                print(name, page.faults, page.strays)
            page.context.close()


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--only", default="", help="only views whose name holds this")
    parser.add_argument("--at", help="address of a running demo instead of a fresh one")
    parser.add_argument("--out", type=Path, default=OUT)
    options = parser.parse_args()
    if options.at:
        take(options.at, options.out, options.only)
        return
    with tempfile.TemporaryDirectory() as folder, running(Path(folder)) as address:
        take(address, options.out, options.only)


if __name__ == "__main__":
    main()
