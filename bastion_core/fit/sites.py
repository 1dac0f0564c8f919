"""Where a piece is worn: which stretch of body it covers, how it goes on, and which measurements its fit hangs on."""

from dataclasses import dataclass

from bastion_core.errors import RecipeProblem

WAYS_IN = ("over", "split", "plates", "open")
TAU = 6.2832


@dataclass(frozen=True)
class Site:
    """One place on the body."""

    name: str
    part: str
    """head, trunk, arm or leg."""
    stretch: tuple[float, float]
    """The stretch it covers. Arm: 0 shoulder, 1 elbow, 2 wrist, 3 tips. Leg: 0 hip, 1 knee, 2 ankle, 3 floor. Trunk: share of stature."""
    comes_from: str
    """Where the piece comes from when it is pulled over: above (over the head) or below (over hand or foot)."""
    way_in: str
    """How such a piece usually goes on."""
    gains: dict[str, float]
    """How much room (mm, each side) a mm of each measurement costs."""
    passing: dict[str, float]
    """The same for what has to pass on the way in."""

    @property
    def next_to(self) -> tuple[str, str]:
        """What of the body lies beyond its lower and its upper edge."""
        return _NEXT_TO.get(self.name, ("body below it", "body above it"))

    @property
    def round_from(self) -> float:
        """Share of the way round from which a piece here counts as one that goes round the body, not one that is laid on it."""
        return {"head": 0.5, "trunk": 0.9}.get(self.part, 0.97 if self.name == "shoulder" else 0.6)


def _round(*keys: str) -> dict[str, float]:
    """A girth more by 1 mm is a radius more by 1/2π."""
    return {f"{k}_mm": 1 / TAU for k in keys}


_HEAD = {"head_breadth_mm": 0.5, "head_length_mm": 0.5, "head_circumference_mm": 0.05}
TABLE: tuple[Site, ...] = (
    Site("head", "head", (0.0, 1.0), "above", "over", _HEAD, {"head_breadth_mm": 0.5, "head_length_mm": 0.5, "chin_to_crown_mm": 0.2}),
    Site("neck", "trunk", (0.80, 0.88), "above", "plates", _round("neck_girth"), {"head_breadth_mm": 0.5, "head_length_mm": 0.5}),
    Site("chest", "trunk", (0.60, 0.83), "above", "plates", _round("chest_girth") | {"chest_breadth_mm": 0.25, "chest_depth_mm": 0.25}, {"bideltoid_breadth_mm": 0.5}),
    Site("back", "trunk", (0.60, 0.83), "above", "plates", _round("chest_girth") | {"chest_breadth_mm": 0.25, "chest_depth_mm": 0.25}, {"bideltoid_breadth_mm": 0.5}),
    Site("shoulder", "arm", (-0.25, 0.5), "below", "open", _round("upper_arm_girth") | {"shoulder_breadth_mm": 0.3}, _round("elbow_girth")),
    Site("upper_arm", "arm", (0.15, 0.9), "below", "over", _round("upper_arm_girth"), _round("elbow_girth", "knuckle_girth")),
    Site("elbow", "arm", (0.75, 1.25), "below", "over", _round("elbow_girth"), _round("forearm_girth", "knuckle_girth")),
    Site("forearm", "arm", (1.08, 1.98), "below", "over", _round("forearm_girth", "wrist_girth"), _round("knuckle_girth")),
    Site("hand", "arm", (1.9, 2.7), "below", "over", _round("knuckle_girth") | {"hand_breadth_mm": 0.3}, _round("knuckle_girth")),
    Site("finger", "arm", (2.6, 3.0), "below", "over", _round("index_knuckle_girth"), _round("index_knuckle_girth")),
    Site("belt", "trunk", (0.54, 0.62), "below", "open", _round("waist_girth", "abdomen_girth"), _round("hip_girth")),
    Site("hip", "trunk", (0.47, 0.56), "below", "open", _round("hip_girth"), _round("hip_girth")),
    Site("thigh", "leg", (0.15, 0.9), "below", "over", _round("thigh_girth", "mid_thigh_girth"), _round("knee_girth", "calf_girth", "heel_instep_girth")),
    Site("knee", "leg", (0.8, 1.2), "below", "over", _round("knee_girth"), _round("calf_girth", "heel_instep_girth")),
    Site("shin", "leg", (1.06, 1.97), "below", "over", _round("calf_girth", "ankle_girth"), _round("heel_instep_girth")),
    Site("foot", "leg", (1.95, 3.0), "below", "over", {"foot_length_mm": 0.5, "foot_breadth_mm": 0.5}, _round("heel_instep_girth")),
)  # fmt: skip
"""Stretches after the segment lengths of Drillis & Contini (from memory); ways in are common practice, no source."""
BY_NAME = {s.name: s for s in TABLE}


def needs(name: str) -> tuple[str, ...]:
    """Keys of the measurements that a piece worn there hangs on, stature first."""
    found = BY_NAME.get(name)
    return ("stature_mm",) if found is None else tuple(dict.fromkeys(("stature_mm", *found.gains, *found.passing)))


def asked_first(name: str) -> tuple[str, ...]:
    """Of those, the ones without which a piece is judged on guesses alone."""
    return ("head_breadth_mm", "head_length_mm") if name == "head" else ("stature_mm",)


def site(name: str) -> Site:
    """The row of a site; RecipeProblem for one that is worn nowhere."""
    found = BY_NAME.get(name)
    if found is None:
        raise RecipeProblem(f"“{name}” is not worn on the body, so there is no fit to judge. Choose one of {', '.join(BY_NAME)}.")
    return found


_NEXT_TO = {
    "head": ("neck and shoulders", "crown"), "neck": ("shoulders", "chin"), "upper_arm": ("elbow", "shoulder"), "elbow": ("forearm", "upper arm"),
    "forearm": ("hand", "elbow"), "hand": ("fingers", "forearm"), "thigh": ("knee", "hip"), "knee": ("shin", "thigh"),
    "shin": ("instep", "knee"), "belt": ("hips", "waist"), "hip": ("thighs", "waist"),
}  # fmt: skip
_WORDS = {
    "head": ("helm", "mask", "head", "hood", "visor"), "neck": ("gorget", "collar", "neck"), "chest": ("breast", "chest", "cuirass"),
    "back": ("backplate", "back"), "shoulder": ("pauldron", "shoulder", "spaulder"), "elbow": ("elbow", "couter"),
    "upper_arm": ("upper arm", "rerebrace", "bicep"), "forearm": ("bracer", "vambrace", "forearm"), "hand": ("gauntlet", "hand"),
    "finger": ("finger", "thumb"), "belt": ("belt", "buckle"), "hip": ("hip", "tasset"), "knee": ("knee", "poleyn"),
    "thigh": ("thigh", "cuisse"), "shin": ("shin", "greave"), "foot": ("foot", "boot", "sabaton"),
    "hand_held": ("staff", "shield", "lantern", "prop", "weapon"),
}  # fmt: skip
"""Words in a file's name that tell where a piece is worn; the armourer's own words."""


def guess_site(name: str) -> str:
    """Where a piece of this name is worn, ``other`` when the name does not tell.

    >>> guess_site("Heron shin left"), guess_site("crest")
    ('shin', 'other')
    """
    plain = name.lower().replace("-", " ").replace("_", " ")
    return next((place for place, words in _WORDS.items() if any(w in plain for w in words)), "other")
