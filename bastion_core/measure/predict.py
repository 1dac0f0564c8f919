"""Missing measurements from the known ones: a value, how sure it is, and from what.

All measurements of a person are taken as jointly normal in their logarithms. What the open
data holds together (trunk and limb girths, trunk breadths, stature, mass) is learnt from it;
what it does not hold is tied to its parents by published ratios or common practice, with a
spread of its own. Knowing any of them then tells the rest, and how surely, by one formula.
The data are adults' only. Children, and whoever is under 150 cm and of unknown age, are taken as scaled from a body of 150 cm
(common practice), and less surely; an age alone tells about how tall a child is.
"""

import csv
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from math import log
from pathlib import Path

import numpy as np

from bastion_core.geometry.mesh import Floats
from bastion_core.measure.table import ROWS, bare_key, side_of
from bastion_core.measure.wearer import Wearer

DATA = Path(__file__).parent / "data"
MASS = "mass_kg"
LEARNT = {
    "bia_di": "shoulder_breadth_mm", "bit_di": "hip_breadth_mm", "che_de": "chest_depth_mm", "che_di": "chest_breadth_mm",
    "sho_gi": "shoulder_girth_mm", "che_gi": "chest_girth_mm", "wai_gi": "waist_girth_mm", "nav_gi": "abdomen_girth_mm",
    "hip_gi": "hip_girth_mm", "thi_gi": "thigh_girth_mm", "bic_gi": "upper_arm_girth_bent_mm", "for_gi": "forearm_girth_mm",
    "kne_gi": "knee_girth_mm", "cal_gi": "calf_girth_mm", "ank_gi": "ankle_girth_mm", "wri_gi": "wrist_girth_mm",
    "wgt": MASS, "hgt": "stature_mm",
}  # fmt: skip
"""Column of the open data -> measurement. Its upper arm girth is the flexed one."""
SEXES = ("female", "male")
_SHRINK = 0.02
"""Share by which the learnt correlations are drawn toward none, against chance ones; chosen by cross-validation."""
_SPREAD = 0.93
"""What drawing the correlations in adds to the spread is taken off again, so that of people held out about 68 % lie inside one
standard deviation and 95 % inside two, few measurements known or many; chosen by cross-validation."""
_SIDE_SD = 0.015
"""How far one side's girth lies from the mean of both, as a share; common practice, no source."""
ADULT_FROM_MM = 1500.0
_GROWTH = {
    "head_circumference_mm": 0.25,
    "head_breadth_mm": 0.2,
    "head_length_mm": 0.22,
    "chin_to_crown_mm": 0.35,
    "ear_height_mm": 0.3,
    "face_height_mm": 0.55,
    # A child's belly is round: at 120 cm and 25 kg growth tables have 530 to 560 mm (from memory).
    **dict.fromkeys(("waist_girth_mm", "abdomen_girth_mm", "waist_breadth_mm", "waist_depth_mm"), 0.4),
    # Feet run ahead of the rest of a child.
    **dict.fromkeys(("foot_length_mm", "foot_breadth_mm"), 0.5),
    MASS: 2.4,
}
"""How a measurement grows with stature below 150 cm, as an exponent; 1 for all others. Common practice, no source."""

ADULT_FROM_YEARS, _SMALL_CHILD_YEARS = 18.0, 8.0
_AGES = (2.0, 4.0, 6.0, 8.0, 10.0, 12.0, 14.0, 16.0, 18.0)
_STATURE_AT_MM = {
    "female": (860.0, 1020.0, 1150.0, 1270.0, 1385.0, 1510.0, 1595.0, 1625.0, 1632.0),
    "male": (870.0, 1030.0, 1160.0, 1275.0, 1380.0, 1490.0, 1635.0, 1735.0, 1762.0),
}
_MASS_AT_KG = {
    "female": (12.0, 15.8, 20.0, 25.5, 32.5, 41.5, 49.0, 53.0, 56.0),
    "male": (12.6, 16.2, 20.6, 25.5, 31.5, 40.0, 50.5, 60.5, 67.0),
}
"""Median statures and masses at those ages in the growth charts (from memory)."""
_STATURE_AT_SD, _MASS_AT_SD = 0.047, 0.16
_CHILDS_SPREAD, _SMALL_CHILDS_SPREAD = 1.6, 2.6
"""What not being an adult does to the variance, as these data are adults'; common practice, no source, held against children's data."""
_CHILDS_FEET_SD = 0.07
"""Children's feet differ by more than stature tells: 39 fourth-graders' (R data set KidsFeet) are a tenth longer than this makes them."""
_OF_A_CHILD = "scaled from adults' data, as none of children's is here: measure it"

_SURVEY = "2012 US Army survey's mean and SD (from memory)"
_DRILLIS = "Drillis & Contini's share of stature (from memory)"
_CP = "common practice"


@dataclass(frozen=True)
class _Tied:
    """A measurement that the open data does not hold: mean for women and men (mm), exponents of its parents, spread of its own (share)."""

    key: str
    women: float
    men: float
    parents: dict[str, float]
    spread: float
    source: str


def _of_stature(key: str, share: float, spread: float = 0.035, source: str = _DRILLIS) -> _Tied:
    # Means at the open data's mean statures, which are 1648 and 1781 mm.
    return _Tied(key, share * 1648, share * 1781, {"stature_mm": 1.0}, spread, source)


def _share(key: str, parent: str, ratio_women: float, ratio_men: float, spread: float, source: str = _CP) -> _Tied:
    """Tied to one learnt parent by a plain ratio; the mean is filled in from the parent's."""
    return _Tied(key, -ratio_women, -ratio_men, {parent: 1.0}, spread, source)


TIED: tuple[_Tied, ...] = (
    _Tied("head_length_mm", 190, 199, {"stature_mm": 0.25, MASS: 0.04}, 0.032, _SURVEY),
    _Tied("head_breadth_mm", 147, 154, {"head_length_mm": 0.45, MASS: 0.04}, 0.03, f"{_SURVEY}; tied to the head's length as in Frets 1921"),
    _Tied("head_circumference_mm", 561, 574, {"head_length_mm": 0.58, "head_breadth_mm": 0.38}, 0.012, f"{_SURVEY}; an oval's way round"),
    _Tied("chin_to_crown_mm", 218, 231, {"stature_mm": 0.3, "head_length_mm": 0.3}, 0.042, _CP),
    _Tied("face_height_mm", 112, 122, {"chin_to_crown_mm": 0.8}, 0.045, _CP),
    _Tied("ear_height_mm", 128, 134, {"chin_to_crown_mm": 0.6}, 0.04, _CP),
    _Tied("neck_girth_mm", 330, 390, {"chest_girth_mm": 0.35, "wrist_girth_mm": 0.35}, 0.04, _CP),
    _share("bideltoid_breadth_mm", "shoulder_girth_mm", 0.425, 0.422, 0.025),
    _share("waist_breadth_mm", "waist_girth_mm", 0.355, 0.348, 0.035),
    _share("waist_depth_mm", "waist_girth_mm", 0.262, 0.268, 0.045),
    _share("hip_depth_mm", "hip_girth_mm", 0.235, 0.245, 0.05),
    _of_stature("back_length_mm", 0.249, 0.045, _CP),
    _of_stature("front_length_mm", 0.221, 0.05, _CP),
    _of_stature("torso_length_mm", 0.375, 0.03, _CP),
    _share("upper_arm_girth_mm", "upper_arm_girth_bent_mm", 0.965, 0.955, 0.02),
    _Tied("elbow_girth_mm", 236, 275, {"forearm_girth_mm": 0.55, "upper_arm_girth_bent_mm": 0.3}, 0.03, _CP),
    _share("elbow_girth_bent_mm", "elbow_girth_mm", 1.12, 1.13, 0.025),
    _of_stature("upper_arm_length_mm", 0.186),
    _of_stature("forearm_length_mm", 0.146),
    _Tied("arm_length_mm", 0.332 * 1648, 0.332 * 1781, {"upper_arm_length_mm": 0.56, "forearm_length_mm": 0.44}, 0.012, _DRILLIS),
    _of_stature("hand_length_mm", 0.108, 0.04),
    _Tied("hand_breadth_mm", 77, 88, {"hand_length_mm": 0.5, "wrist_girth_mm": 0.4}, 0.035, _CP),
    _Tied("knuckle_girth_mm", 186, 214, {"hand_breadth_mm": 0.75}, 0.025, _CP),
    *(
        tied
        for finger, women, men, segments in (
            ("thumb", 60.0, 69.0, (0.185, 0.165)), ("index", 59.0, 67.5, (0.23, 0.142, 0.115)), ("middle", 59.0, 67.5, (0.25, 0.16, 0.118)),
            ("ring", 55.0, 63.5, (0.232, 0.15, 0.118)), ("little", 49.0, 56.0, (0.186, 0.112, 0.105)),
        )
        for tied in (
            _Tied(f"{finger}_knuckle_girth_mm", women, men, {"knuckle_girth_mm": 0.8}, 0.045, _CP),
            *(
                _share(f"{finger}_{name}_mm", "hand_length_mm", ratio, ratio, 0.07)
                for name, ratio in zip(("first", "second", "third"), segments, strict=False)
            ),
        )
    ),
    _share("mid_thigh_girth_mm", "thigh_girth_mm", 0.895, 0.905, 0.025),
    _share("thigh_girth_seated_mm", "thigh_girth_mm", 1.035, 1.03, 0.02),
    _share("knee_girth_bent_mm", "knee_girth_mm", 1.06, 1.06, 0.02),
    _Tied("heel_instep_girth_mm", 312, 347, {"stature_mm": 0.5, "ankle_girth_mm": 0.4}, 0.03, _CP),
    _of_stature("crotch_height_mm", 0.462, 0.03, _CP),
    _of_stature("knee_height_mm", 0.285),
    _of_stature("thigh_length_mm", 0.245),
    _of_stature("shank_length_mm", 0.246),
    _of_stature("foot_length_mm", 0.152, 0.03),
    _Tied("foot_breadth_mm", 91, 101, {"foot_length_mm": 0.7}, 0.04, _CP),
)  # fmt: skip
_SOURCE = {t.key: t.source for t in TIED}


@dataclass(frozen=True)
class Guess:
    """A measurement that was not taken: value and standard deviation in mm, and the known keys that told most about it."""

    value: float
    sd: float
    based_on: tuple[str, ...]
    source: str

    def as_dict(self) -> dict[str, object]:
        """The guess as JSON tells it."""
        return {"value": round(self.value, 1), "sd": round(self.sd, 2), "from": list(self.based_on), "source": self.source}


@dataclass(frozen=True, eq=False)
class Model:
    """Joint normal of the logarithms, a mean for each sex and one covariance."""

    keys: tuple[str, ...]
    means: dict[str, Floats]
    covariance: Floats

    def index(self, keys: Sequence[str]) -> list[int]:
        """Places of ``keys``."""
        place = {k: i for i, k in enumerate(self.keys)}
        return [place[k] for k in keys]


def open_data() -> tuple[Floats, list[str]]:
    """Logarithms of the open data in LEARNT's order (n, 18), lengths in mm, and each person's sex."""
    with (DATA / "bdims_half.csv").open(encoding="utf-8") as opened:
        rows = list(csv.DictReader(opened))
    values = np.array([[float(r[c]) * (1.0 if key == MASS else 10.0) for c, key in LEARNT.items()] for r in rows])
    return np.log(values), [SEXES[int(r["sex"])] for r in rows]


def learn(logs: Floats, sexes: Sequence[str]) -> Model:
    """The model from people's learnt measurements (n, 18); the tied ones are added to it."""
    learnt = list(LEARNT.values())
    of = np.array(sexes)
    means = {sex: logs[of == sex].mean(axis=0) for sex in SEXES}
    rest = logs - np.array([means[s] for s in sexes])
    covariance = rest.T @ rest / (len(rest) - 2)
    # Chance correlations make a model of many parents look surer than it is: draw them in a little.
    scale = np.sqrt(np.diag(covariance))
    correlation = covariance / np.outer(scale, scale)
    correlation = (1 - _SHRINK) * correlation + _SHRINK * np.eye(len(scale))
    covariance = correlation * np.outer(scale, scale) * _SPREAD
    keys = list(learnt)
    for tied in TIED:
        weights = np.zeros(len(keys))
        for parent, exponent in tied.parents.items():
            weights[keys.index(parent)] = exponent
        for sex, mean in (("female", tied.women), ("male", tied.men)):
            parent = means[sex][keys.index(next(iter(tied.parents)))]
            means[sex] = np.append(means[sex], log(mean) if mean > 0 else parent + log(-mean))
        cross = covariance @ weights
        own = float(weights @ cross) + tied.spread**2
        covariance = np.block([[covariance, cross[:, None]], [cross[None, :], np.array([[own]])]])
        keys.append(tied.key)
    return Model(tuple(keys), means, np.asarray(covariance))


@cache
def default_model() -> Model:
    """The model learnt from all of the open data."""
    return learn(*open_data())


def is_child(wearer: Wearer) -> bool:
    """Whether a wearer is one by age, or by stature where no age is known."""
    stature = wearer.get("stature_mm")
    if wearer.age_years is not None:
        return wearer.age_years < ADULT_FROM_YEARS
    return stature is not None and stature < ADULT_FROM_MM


def _median_at(age_years: float, sex: str | None, table: Mapping[str, tuple[float, ...]]) -> float:
    """A child's median at an age; the mean of both sexes where it is not known."""
    return float(np.mean([np.interp(age_years, _AGES, table[s]) for s in (SEXES if sex not in SEXES else (sex,))]))


def _of_the_age(wearer: Wearer, values: Mapping[str, float]) -> dict[str, tuple[float, float]]:
    """A child's stature and mass where they were not taken, each with its doubt in logarithms: by age, or by the age that the stature tells."""
    stature, age = values.get("stature_mm"), wearer.age_years
    if age is None:
        age = float(np.interp(stature or ADULT_FROM_MM, np.mean([_STATURE_AT_MM[s] for s in SEXES], axis=0), _AGES))
    median = _median_at(age, wearer.sex, _STATURE_AT_MM)
    found = {} if stature else {"stature_mm": (median, _STATURE_AT_SD)}
    if MASS not in values:
        found[MASS] = _median_at(age, wearer.sex, _MASS_AT_KG) * ((stature or median) / median) ** _GROWTH[MASS], _MASS_AT_SD
    return found


def _growth(key: str, stature_mm: float | None) -> float:
    """Factor from the body of 150 cm to a smaller one; 1 for all others."""
    if stature_mm is None or stature_mm >= ADULT_FROM_MM:
        return 1.0
    return float((stature_mm / ADULT_FROM_MM) ** _GROWTH.get(key, 1.0))


def _known(wearer: Wearer, model: Model) -> tuple[dict[str, float], dict[str, float]]:
    """Known values by bare key (both sides as their mean), and the doubt of each in logarithms."""
    sums: dict[str, list[tuple[float, float]]] = {}
    for key, value in wearer.measurements.items():
        bare = bare_key(key)
        if bare in model.keys:
            doubt = (wearer.sd_mm(bare, side_of(key)) or 0.0) / value
            sums.setdefault(bare, []).append((value, doubt))
    values = {k: float(np.mean([v for v, _ in found])) for k, found in sums.items()}
    doubts = {k: float(np.mean([d for _, d in found])) for k, found in sums.items()}
    if wearer.mass_kg is not None:
        values[MASS], doubts[MASS] = wearer.mass_kg, 0.01
    return values, doubts


def posterior(wearer: Wearer, model: Model | None = None) -> tuple[tuple[str, ...], Floats, Floats]:
    """Keys, mean and covariance (of the logarithms) of everything, given what is known of a wearer.

    An unknown sex is left open: both are weighed by how well they explain what is known.
    """
    model = model or default_model()
    values, doubts = _known(wearer, model)
    child = is_child(wearer)
    by_age = _of_the_age(wearer, values) if child else {}
    # Adults' means say nothing of how tall a child is: that is first taken as known, and its doubt added afterwards.
    values |= {k: value for k, (value, _) in by_age.items()}
    doubts |= dict.fromkeys(by_age, 0.0)
    stature = values.get("stature_mm")
    growth = np.array([log(_growth(k, stature if child else None)) for k in model.keys])
    known = sorted(values, key=model.keys.index)
    at = model.index(known)
    target = np.array([log(values[k]) for k in known]) - growth[at]
    noise = np.array([doubts[k] ** 2 for k in known])
    mixed: list[tuple[float, Floats, Floats]] = []
    for sex in SEXES if wearer.sex not in SEXES else (wearer.sex,):
        mean = model.means[sex]
        if not known:
            mixed.append((0.0, mean, model.covariance))
            continue
        inner = model.covariance[np.ix_(at, at)] + np.diag(noise)
        gain = np.linalg.solve(inner, model.covariance[at]).T
        off = target - mean[at]
        spread = model.covariance - gain @ model.covariance[at]
        for key, (value, sd) in by_age.items():
            felt = gain[:, known.index(key)]
            if key == "stature_mm" and value < ADULT_FROM_MM:
                felt = np.array([_GROWTH.get(k, 1.0) for k in model.keys])
            spread = spread + np.outer(felt, felt) * sd**2
        likelihood = -0.5 * float(off @ np.linalg.solve(inner, off)) - 0.5 * float(np.linalg.slogdet(inner)[1])
        mixed.append((likelihood, mean + gain @ off, spread))
    weights = np.exp(np.array([t for t, _, _ in mixed]) - max(t for t, _, _ in mixed))
    weights /= weights.sum()
    mean = sum((w * m for w, (_, m, _) in zip(weights, mixed, strict=True)), np.zeros(len(model.keys)))
    covariance = np.zeros_like(model.covariance)
    for w, (_, m, c) in zip(weights, mixed, strict=True):
        covariance += w * (c + np.outer(m - mean, m - mean))
    # Out of the open data's range the same formula holds, but less surely: say so in the spread.
    if child:
        small = wearer.age_years is not None and wearer.age_years < _SMALL_CHILD_YEARS
        covariance = covariance * (_SMALL_CHILDS_SPREAD if small else _CHILDS_SPREAD)
        feet = model.index(["foot_length_mm", "foot_breadth_mm"])
        covariance[np.ix_(feet, feet)] += _CHILDS_FEET_SD**2
    return model.keys, np.asarray(mean + growth), covariance


def predict(wearer: Wearer, model: Model | None = None) -> dict[str, Guess]:
    """Every measurement that was not taken, by key, sided ones by the key for both sides.

    A side's own key is added where only the other side was taken.
    """
    keys, mean, covariance = posterior(wearer, model)
    values, _ = _known(wearer, model or default_model())
    place = {k: i for i, k in enumerate(keys)}
    guesses: dict[str, Guess] = {}
    child = is_child(wearer)
    for key in keys:
        if key in values or key == MASS:
            continue
        i = place[key]
        sd = float(np.sqrt(max(covariance[i, i], 1e-10)))
        value = float(np.exp(mean[i]))
        tellers = _tellers(key, values, model or default_model()) or (("age_years",) if child else ())
        source = _OF_A_CHILD if child else _SOURCE.get(key, "regression on the open data")
        guesses[key] = Guess(value, value * sd, tellers, source)
    for row in {ROWS[k].key: ROWS[k] for k in wearer.measurements if k in ROWS}.values():
        for side, other in (("left", "right"), ("right", "left")):
            mine, theirs = f"{side}_{row.key}", f"{other}_{row.key}"
            if row.sided and theirs in wearer.measurements and mine not in wearer.measurements and row.key not in wearer.measurements:
                value = wearer.measurements[theirs]
                doubt = float(np.hypot(_SIDE_SD * value * 2**0.5, wearer.sd_mm(row.key, other) or 0.0))
                guesses[mine] = Guess(value, doubt, (theirs,), "the other side; common practice")
    return guesses


def _tellers(key: str, values: Mapping[str, float], model: Model, most: int = 3) -> tuple[str, ...]:
    """The known keys that go most closely with one, strongest first."""
    i = model.keys.index(key)
    scale = np.sqrt(np.diag(model.covariance))
    known = [k for k in values if k in model.keys]
    strength = {k: abs(float(model.covariance[i, j] / (scale[i] * scale[j]))) for k, j in zip(known, model.index(known), strict=True)}
    return tuple(sorted((k for k in known if strength[k] > 0.15), key=lambda k: -strength[k])[:most])


def completed(wearer: Wearer, model: Model | None = None) -> tuple[Wearer, dict[str, Guess]]:
    """The wearer with every missing measurement filled in, its doubt in ``sds``, and which those were. Never to be kept as measured."""
    guesses = predict(wearer, model)
    values = {k: g.value for k, g in guesses.items()} | wearer.measurements
    sds = {k: g.sd for k, g in guesses.items()} | wearer.sds
    return replace(wearer, measurements=values, sds=sds), guesses
