"""What the commands share: options as typed, files that have to be there, answers as JSON."""

import argparse
import hashlib
import json
import re
from dataclasses import replace
from pathlib import Path
from typing import Any, NoReturn

from bastion_core.errors import RecipeProblem
from bastion_core.formats.stl import write_binary_stl
from bastion_core.formats.threemf import write_3mf
from bastion_core.geometry.mesh import Mesh
from bastion_core.shop import BED_MARGIN_MM, RESIN_MARGIN_MM, Printer

_PRINTER = re.compile(
    r"^(?P<name>[^:]+):(?P<x>[\d.]+)[xX×](?P<y>[\d.]+)[xX×](?P<z>[\d.]+)(?::(?P<margin>[\d.]+)(?::(?P<speed>[\d.]+)(?::(?P<accel>[\d.]+))?)?)?$"
)


class Parser(argparse.ArgumentParser):
    """Says what is wrong with its options in one sentence."""

    def error(self, message: str) -> NoReturn:
        raise RecipeProblem(message)


def parse_printer(text: str) -> Printer:
    """A printer from NAME:XxYxZ[:margin[:speed[:accel]]]; RecipeProblem when it cannot be read."""
    found = _PRINTER.match(text.strip())
    try:
        if found is None:
            raise ValueError
        x, y, z = (float(found[axis]) for axis in "xyz")
        margin = float(found["margin"]) if found["margin"] else BED_MARGIN_MM
    except ValueError:
        raise RecipeProblem(
            f"“{text}” is no printer. Write NAME:XxYxZ or NAME:XxYxZ:margin in millimetres, like shop:220x220x250:5; then speed in mm/s and "
            "acceleration in mm/s², like shop:220x220x250:5:120:3000."
        ) from None
    printer = Printer(found["name"], x, y, z, margin)
    speed, accel = (float(found[name]) if found[name] else None for name in ("speed", "accel"))
    return replace(printer, speed_mm_s=speed or printer.speed_mm_s, acceleration_mm_s2=accel or printer.acceleration_mm_s2)


def parse_resin_printer(text: str) -> Printer:
    """A resin printer from NAME:XxYxZ[:layer[:exposure]]; RecipeProblem when it cannot be read."""
    found = _PRINTER.match(text.strip())
    if found is None or found["accel"]:
        raise RecipeProblem(
            f"“{text}” is no resin printer. Write NAME:XxYxZ, then layer in mm and exposure in seconds, like vat:143x89x175:0.05:2.5."
        )
    x, y, z = (float(found[axis]) for axis in "xyz")
    printer = Printer(found["name"], x, y, z, RESIN_MARGIN_MM, kind="resin")
    layer, exposure = (float(found[name]) if found[name] else None for name in ("margin", "speed"))
    return replace(printer, resin_layer_mm=layer or printer.resin_layer_mm, exposure_s=exposure or printer.exposure_s)


def there(path: Path) -> Path:
    """The path itself; RecipeProblem when there is no such file."""
    if not path.is_file():
        raise RecipeProblem(f"There is no file {path}. Give the path of an STL, OBJ, PLY or 3MF.")
    return path


def no_file(path: Path, flag: str) -> Path:
    """A folder to write into; RecipeProblem when there is a file of that name."""
    if path.exists() and not path.is_dir():
        raise RecipeProblem(f"{flag}: {path} is a file. Name a folder to write into.")
    return path


def sha256_of(path: Path) -> str:
    """The hash of a file's content."""
    with path.open("rb") as opened:
        return hashlib.file_digest(opened, "sha256").hexdigest()


def say_json(content: Any) -> None:
    """Print an answer."""
    print(json.dumps(content, indent=1, ensure_ascii=False, allow_nan=False))


def write_solid(mesh: Mesh, path: Path, name: str) -> None:
    """Write a closed mesh (mm) as STL or 3MF by the path's ending; RecipeProblem for another ending."""
    if path.suffix.lower() == ".3mf":
        write_3mf(mesh, path, name)
    elif path.suffix.lower() == ".stl":
        write_binary_stl(mesh, path)
    else:
        raise RecipeProblem(f"“{path.name}” has to end in .stl or .3mf.")
