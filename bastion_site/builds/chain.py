"""How a piece's decisions depend on each other: one hash per station, each holding the one before.

A station's result is fresh when there is one under the hash of today's recipe. Nothing has to be
marked stale by hand: change a decision anywhere, and every hash after it is another one.
"""

from dataclasses import dataclass
from functools import cached_property

from django.db.models import Q

from bastion_core.cut.parting import Cut
from bastion_core.errors import BastionError, RecipeProblem
from bastion_core.fit.answer import Question
from bastion_core.fit.bays import Bay
from bastion_core.fit.bays import checked as checked_bay
from bastion_core.fit.layers import Layer
from bastion_core.fit.layers import checked as checked_layer
from bastion_core.fit.sites import BY_NAME
from bastion_core.join.pins import PinRule
from bastion_core.plan import FitRecipe
from bastion_core.printing.profile import Profile
from bastion_site.builds.hashing import hash_of
from bastion_site.builds.models import Derived, Piece
from bastion_site.jobs.models import Job
from bastion_site.shop.models import Printer, Shop

STATIONS = ("intake", "fit", "cut", "join", "print")
FIT_EDITION = 2
"""Raised when a fit tells more or otherwise than before, so that what was kept of it is computed again."""
STATES = [("fresh", "fresh"), ("computing", "computing"), ("stale", "stale"), ("failed", "failed")]
VERDICTS = [("holds", "holds"), ("tight", "tight"), ("stops", "stops"), ("waits", "waits")]


def cut_from(record: dict) -> Cut:
    """A cut as kept in JSON; RecipeProblem when it is none."""
    try:
        return Cut(
            str(record["id"]),
            tuple(float(v) for v in record["point"]),
            tuple(float(v) for v in record["normal"]),
            tuple((str(other), int(side)) for other, side in record.get("limits", ())),
        )
    except (KeyError, TypeError, ValueError) as error:
        raise RecipeProblem(
            "A cut needs an id, a point and a normal of three numbers each. Take the plane away and set it again."
        ) from error


def layer_from(record: dict) -> Layer:
    """A layer as kept in JSON; RecipeProblem when it is none."""
    try:
        return checked_layer(Layer(str(record["name"])[:40], float(record["thickness_mm"]), str(record.get("where") or "all")))
    except (KeyError, TypeError, ValueError) as error:
        raise RecipeProblem("A layer needs a name and a thickness in mm. Take it away and set it again.") from error


def bay_from(record: dict) -> Bay:
    """A bay as kept in JSON; RecipeProblem when it is none."""
    try:
        x, y, z = (float(v) for v in record["size_mm"])
        at = record.get("at_mm")
        return checked_bay(
            Bay(
                str(record["name"])[:60],
                (x, y, z),
                str(record.get("place") or ""),
                tuple(float(v) for v in at) if at else None,
                bool(record.get("round")),
            )
        )
    except (KeyError, TypeError, ValueError) as error:
        raise RecipeProblem("A bay needs a name and three sizes in mm. Take it away and set it again.") from error


@dataclass
class Chain:
    """Today's recipe of a piece, station by station, with what has been computed of it."""

    piece: Piece
    shop: Shop
    all_printers: list[Printer]

    @classmethod
    def of(cls, piece: Piece) -> "Chain":
        return cls(piece, Shop.current(), list(Printer.objects.filter(active=True)))

    @property
    def turns(self) -> tuple[int, int, int]:
        return self.piece.turn_x, self.piece.turn_y, self.piece.turn_z

    @cached_property
    def printers(self) -> list:
        """The core's printers this piece is meant for."""
        wanted = [p for p in self.all_printers if not self.piece.printer_ids or p.id in self.piece.printer_ids]
        return [p.core() for p in wanted]

    @cached_property
    def fit_recipe(self) -> FitRecipe:
        piece = self.piece
        return FitRecipe(
            piece.site,
            piece.worn_by.core() if piece.worn_by else None,
            piece.pad_mm,
            piece.made_for_mm,
            piece.wanted_length_mm,
            tuple(piece.scale) if piece.scale else None,
            piece.walls,
        )

    @cached_property
    def scan(self):
        """The scan that stands for the wearer's body here, where one is used.

        On the head a head's goes before a whole one's; on trunk and limbs a whole one's, and a head's says nothing of limbs.
        """
        wearer, where = self.piece.worn_by, BY_NAME.get(self.piece.site)
        if wearer is None or where is None:
            return None
        kinds = {"head": ("head", "body"), "trunk": ("body", "head")}.get(where.part, ("body",))
        used = {scan.kind: scan for scan in wearer.scans.filter(used=True)}
        return next((used[kind] for kind in kinds if kind in used), None)

    @cached_property
    def layers(self) -> tuple[Layer, ...]:
        """What lies between body and piece."""
        told = [Layer("pad", self.piece.pad_mm)] if self.piece.site == "head" and self.piece.pad_mm > 0 else []
        return (*told, *(layer_from(record) for record in self.piece.layers))

    @cached_property
    def bays(self) -> tuple[Bay, ...]:
        return tuple(bay_from(record) for record in self.piece.bays)

    @cached_property
    def question(self) -> Question | None:
        """What is asked of a worn piece at scale 1; None where nothing is worn or nobody is there to wear it."""
        piece, recipe = self.piece, self.fit_recipe
        if piece.site not in BY_NAME or recipe.wearer is None:
            return None
        (shift, turn) = ((float(v[0]), float(v[1]), float(v[2])) for v in (piece.shift_mm, piece.turn_deg))
        return Question(
            piece.site, piece.side, recipe.wearer, piece.way_in or None, self.layers, self.bays, shift_mm=shift, turn_deg=turn,
            give_mm=piece.give_mm, walls=piece.walls, material=piece.material,
        )  # fmt: skip

    @cached_property
    def cuts(self) -> tuple[Cut, ...] | None:
        return None if self.piece.cuts is None else tuple(cut_from(c) for c in self.piece.cuts)

    @cached_property
    def pin_rule(self) -> PinRule:
        given = {} if not self.piece.pin_diameters_mm else {"diameters_mm": tuple(self.piece.pin_diameters_mm)}
        clearance = self.shop.pin_clearance_mm if self.piece.pin_clearance_mm is None else self.piece.pin_clearance_mm
        return PinRule(clearance_mm=clearance, least_wall_mm=self.shop.pin_wall_mm, **given)

    @cached_property
    def profile(self) -> Profile:
        return Profile(self.piece.layer_mm, self.piece.walls, self.piece.infill, self.piece.material)

    @cached_property
    def intake_hash(self) -> str:
        return hash_of("intake", self.piece.mesh.sha256, self.piece.unit, self.piece.site)

    @cached_property
    def fit_hash(self) -> str:
        r, question = self.fit_recipe, self.question
        if question is None or r.wearer is None:
            wearer = None if r.wearer is None else [r.wearer.name, r.wearer.get("stature_mm")]
            asked = None
        else:
            w, scan = r.wearer, self.scan
            wearer = [w.name, w.sex, w.mass_kg, sorted(w.measurements.items()), sorted(w.sds.items()), scan and [scan.pk, scan.told]]
            asked = [
                r.site,
                question.side,
                question.way_in,
                question.shift_mm,
                question.turn_deg,
                question.give_mm,
                question.material,
                self.piece.layers,
                self.piece.bays,
            ]
        rest = [r.pad_mm] if r.site == "head" else [r.made_for_mm, r.wanted_length_mm]
        return hash_of("fit", FIT_EDITION, self.intake_hash, self.turns, self.piece.mirrored, r.site, wearer, rest, r.scale, r.walls, asked)

    @cached_property
    def cut_hash(self) -> str | None:
        """None until the fit is known: the cut needs its scale."""
        fit = self.found("fit")
        if fit is None:
            return None
        machines = [(p.name, p.usable_mm) for p in self.printers]
        return hash_of(
            "cut", self.intake_hash, self.turns, self.piece.mirrored, fit.summary["scale"], machines, self.piece.cuts, self.piece.site,
            self.piece.name,
        )  # fmt: skip

    @cached_property
    def join_hash(self) -> str | None:
        r = self.pin_rule
        return self.cut_hash and hash_of("join", self.cut_hash, r.diameters_mm, r.clearance_mm, r.least_wall_mm)

    @cached_property
    def print_hash(self) -> str | None:
        return self.join_hash and hash_of("print", self.join_hash, self.profile.__dict__, [p.__dict__ for p in self.printers])

    def hash(self, station: str) -> str | None:
        return getattr(self, f"{station}_hash")

    def found(self, station: str) -> Derived | None:
        """The fresh result of a station, without its bulky part."""
        cache = self.__dict__.setdefault("_found", {})
        if station not in cache:
            wanted = self.hash(station)
            cache[station] = wanted and Derived.objects.defer("data").filter(kind=station, hash=wanted).first()
        return cache[station]

    def shown(self, station: str) -> Derived | None:
        """The fresh result, else the last one there was."""
        last = self.piece.shown.get(station)
        return self.found(station) or (last and Derived.objects.defer("data").filter(kind=station, hash=last).first()) or None

    def forget(self) -> None:
        """Look again: something was computed."""
        for name in ("_found", "cut_hash", "join_hash", "print_hash"):
            self.__dict__.pop(name, None)

    def states(self, job: Job | None) -> dict[str, str]:
        """Station -> fresh, computing, stale or failed."""
        told = {}
        broken = False
        for station in STATIONS:
            try:
                fresh = not broken and self.found(station) is not None
            except BastionError:
                fresh = False
            if fresh:
                told[station] = "fresh"
            elif job and job.state in Job.ACTIVE:
                told[station] = "computing"
            elif job and job.state == Job.State.FAILED and not broken:
                told[station] = "failed"
            else:
                told[station] = "stale"
            broken = broken or not fresh
        return told


def refresh(piece: Piece, because: str = "") -> None:
    """Have a piece computed again where its recipe is no longer the one its results came from."""
    from bastion_site.jobs.tasks import queue_job

    chain = Chain.of(piece)
    try:
        fresh = all(chain.found(s) for s in STATIONS)
    except BastionError:
        fresh = False
    if because:
        piece.because = because[:160]
        Piece.objects.filter(pk=piece.pk).update(because=piece.because)
    if fresh:
        # Computed before: no work, but the totals shown have to be those of today's recipe.
        from bastion_site.builds.pipeline import settle

        settle(piece, chain)
    else:
        queue_job(piece, Job.Kind.INTAKE if chain.found("intake") is None else Job.Kind.PLAN)


def refresh_all(because: str) -> None:
    """After a change in the shop: every piece of every build that is not archived."""
    for piece in Piece.objects.filter(build__archived=False).select_related("build__wearer", "wearer", "mesh"):
        refresh(piece, because)


def catch_up() -> int:
    """Pieces whose results a newer version of this program no longer knows: computed again. Returns how many there were.

    One whose last job failed waits for its maker, and one at work is left at it.
    """
    count = 0
    for piece in Piece.objects.filter(build__archived=False).select_related("build__wearer", "wearer", "mesh"):
        job = piece.jobs.first()
        if job is None or job.state == Job.State.FAILED or job.state in Job.ACTIVE:
            continue
        if "stale" in Chain.of(piece).states(job).values():
            refresh(piece)
            count += 1
    return count


def refresh_for_wearer(wearer, because: str) -> None:
    """After a new measurement: the pieces this wearer wears."""
    mine = Q(wearer=wearer) | Q(wearer__isnull=True, build__wearer=wearer)
    for piece in Piece.objects.filter(mine, build__archived=False).select_related("build__wearer", "wearer", "mesh"):
        refresh(piece, because)
