"""Every measurement there is: what it is called, how it is taken, what goes wrong, and what a person can have.

Definitions follow ISO 8559-1 and ISO 7250-1 where they have one (named from memory). Limits are
common practice: the usual range spans small children of 120 cm to very large adults; what is
possible is that widened by half.
"""

from dataclasses import dataclass

SITES = (
    "head", "neck", "chest", "back", "shoulder", "upper_arm", "elbow", "forearm", "hand", "finger", "belt", "hip", "thigh", "knee",
    "shin", "foot", "hand_held", "other",
)  # fmt: skip
"""Where a piece is worn; ``other`` is worn nowhere in particular."""


@dataclass(frozen=True)
class Measurement:
    """One row of the sheet. Limits in millimetres."""

    key: str
    name: str
    group: str
    tool: str
    """tape, caliper or board."""
    how: str
    mistake: str
    least: float
    most: float
    usual_least: float
    usual_most: float
    sided: bool
    """Whether left and right can differ."""
    source: str

    @property
    def keys(self) -> tuple[str, ...]:
        """The keys it is kept under: its own, and one a side where sides can differ."""
        return (self.key, f"left_{self.key}", f"right_{self.key}") if self.sided else (self.key,)


_ISO = "defined as in ISO 8559-1 / ISO 7250-1"
_CP = "common practice, no source"


def _row(
    key: str, name: str, group: str, tool: str, low: float, high: float, how: str, mistake: str,
    sided: bool = False, source: str = _ISO,
) -> Measurement:  # fmt: skip
    return Measurement(f"{key}_mm", name, group, tool, how, mistake, round(low / 1.9), round(high * 1.4), low, high, sided, source)


_OVER_CLOTHES = "Taken over thick clothes."
_TIGHT = "The tape pulled tight enough to dent."
_ROUND_FINGER = "A strip of paper round the thickest joint: its length where it overlaps."

TABLE: tuple[Measurement, ...] = (
    _row("stature", "Stature", "Whole", "board", 1150, 2060, "Barefoot against a wall, heels touching; a flat board on the crown, floor to board.", "Shoes on, or the chin lifted."),
    _row("head_circumference", "Head circumference", "Head", "tape", 490, 650, "Tape above the brows and round the widest back, over the hair as it will be worn.", "Used where the breadth was wanted."),
    _row("head_breadth", "Head breadth", "Head", "caliper", 125, 180, "Caliper or two boards above the ears: the straight distance across.", "The tape's way round taken instead of the straight distance."),
    _row("head_length", "Head length", "Head", "caliper", 160, 230, "Caliper from between the brows to the furthest back of the head.", "Measured from the forehead's top or from the nose."),
    _row("chin_to_crown", "Chin to crown", "Head", "caliper", 175, 270, "Straight height from under the chin to the top of the head, mouth closed.", "Measured along the face, or with the mouth open."),
    _row("face_height", "Face height", "Head", "caliper", 85, 150, "From the dip of the nose between the eyes to under the chin, mouth closed.", "Begun at the brows."),
    _row("ear_height", "Ear to crown", "Head", "board", 95, 165, "Straight height from the ear's opening to the board on the crown.", "Measured along the curve of the skull."),
    _row("neck_girth", "Neck girth", "Head", "tape", 240, 520, "Tape round the neck just below the larynx, sloping as the neck does.", _TIGHT),
    _row("shoulder_girth", "Shoulder girth", "Trunk", "tape", 700, 1550, "Arms hanging: tape round both arms and the chest at the widest of the shoulder muscles.", "Arms lifted while the tape is drawn."),
    _row("shoulder_breadth", "Shoulder breadth", "Trunk", "caliper", 240, 500, "Straight distance between the bony tips of the shoulders.", "The muscles taken along."),
    _row("bideltoid_breadth", "Breadth over the shoulders", "Trunk", "board", 280, 660, "Straight distance over the widest of both upper arms, arms hanging.", "Measured at the bones."),
    _row("chest_girth", "Chest girth", "Trunk", "tape", 550, 1500, "Level round the fullest of the chest, breathing out quietly.", "The tape slips down at the back."),
    _row("chest_breadth", "Chest breadth", "Trunk", "caliper", 160, 460, "Straight across the chest at the same level, arms lifted a little.", _OVER_CLOTHES),
    _row("chest_depth", "Chest depth", "Trunk", "caliper", 110, 400, "Straight from breastbone to back at the same level.", "Measured while breathing in."),
    _row("waist_girth", "Waist girth", "Trunk", "tape", 480, 1500, "Level round, midway between the lowest rib and the top of the hip bone.", "Taken where the trousers sit."),
    _row("waist_breadth", "Waist breadth", "Trunk", "caliper", 150, 460, "Straight across at the same level.", _OVER_CLOTHES),
    _row("waist_depth", "Waist depth", "Trunk", "caliper", 110, 480, "Straight from belly to back at the same level.", "The belly drawn in."),
    _row("abdomen_girth", "Belly girth", "Trunk", "tape", 480, 1550, "Level round at the navel.", "The belly drawn in."),
    _row("hip_girth", "Hip girth", "Trunk", "tape", 560, 1500, "Level round the fullest of the seat, feet together.", "Taken at the hip bone."),
    _row("hip_breadth", "Hip breadth", "Trunk", "caliper", 190, 480, "Straight across the widest of the hips.", _OVER_CLOTHES),
    _row("hip_depth", "Hip depth", "Trunk", "caliper", 130, 440, "Straight from the front to the furthest back of the seat.", _OVER_CLOTHES),
    _row("back_length", "Back length", "Trunk", "tape", 240, 540, "From the bone at the nape down the spine to the waist.", "Begun at the hairline."),
    _row("front_length", "Front length", "Trunk", "tape", 220, 520, "From the pit of the throat down to the waist.", "The tape follows the chest's hollows."),
    _row("torso_length", "Torso length", "Trunk", "board", 380, 760, "Straight from the bone at the nape down to the crotch.", "Measured along the curve of the back."),
    _row("upper_arm_girth", "Upper arm girth", "Arm", "tape", 150, 500, "Arm hanging loose: round the thickest of the upper arm.", "The arm tensed.", True),
    _row("upper_arm_girth_bent", "Upper arm girth, flexed", "Arm", "tape", 155, 530, "Elbow bent, fist clenched: round the thickest of the flexed arm.", "Left out, and the sleeve bursts.", True),
    _row("elbow_girth", "Elbow girth", "Arm", "tape", 150, 420, "Arm straight: round the elbow over its point.", "Taken above or below the point.", True),
    _row("elbow_girth_bent", "Elbow girth, bent", "Arm", "tape", 165, 480, "Arm bent to a right angle: over the point and through the crease.", "Only the straight arm measured.", True),
    _row("forearm_girth", "Forearm girth", "Arm", "tape", 140, 400, "Round the thickest of the forearm, arm hanging.", "The fist clenched.", True),
    _row("wrist_girth", "Wrist girth", "Arm", "tape", 105, 240, "Round the narrowest, on the hand's side of the wrist bones.", "Taken over a watch or a glove.", True),
    _row("upper_arm_length", "Upper arm length", "Arm", "tape", 190, 440, "From the bony tip of the shoulder to the point of the bent elbow.", "The arm straight.", True),
    _row("forearm_length", "Forearm length", "Arm", "tape", 150, 350, "From the point of the bent elbow to the wrist bone on the little finger's side.", "Measured to the palm.", True),
    _row("arm_length", "Arm length", "Arm", "tape", 350, 800, "From the bony tip of the shoulder over the slightly bent elbow to the wrist bone.", "The arm straight.", True),
    _row("hand_breadth", "Hand breadth", "Hand", "caliper", 50, 120, "Straight across the knuckles without the thumb.", "The thumb taken along.", True),
    _row("knuckle_girth", "Girth over the knuckles", "Hand", "tape", 130, 290, "Round the knuckles without the thumb, hand flat.", "A fist made.", True),
    _row("hand_length", "Hand length", "Hand", "caliper", 115, 240, "From the wrist's crease to the tip of the middle finger, hand flat.", "Begun on the back of the hand.", True),
    *(
        row
        for finger, a, b, c in (
            ("thumb", 32, 28, 0), ("index", 40, 25, 20), ("middle", 44, 28, 21), ("ring", 41, 26, 21), ("little", 33, 20, 19),
        )
        for row in (
            _row(f"{finger}_knuckle_girth", f"{finger.title()} ring girth", "Fingers", "tape", 36, 95, _ROUND_FINGER, "Taken at the thin place a ring sits.", True, _CP),
            _row(f"{finger}_first", f"{finger.title()}, first segment", "Fingers", "caliper", a * 0.6, a * 1.45, "From the knuckle to the first joint, finger bent.", "The finger straight.", True, _CP),
            _row(f"{finger}_second", f"{finger.title()}, second segment", "Fingers", "caliper", b * 0.6, b * 1.5, "From the first joint to the next" + (", finger bent." if c else " end, the tip."), "The finger straight.", True, _CP),
            *((_row(f"{finger}_third", f"{finger.title()}, tip segment", "Fingers", "caliper", c * 0.6, c * 1.6, "From the last joint to the tip, without the nail.", "The nail taken along.", True, _CP),) if c else ()),
        )
    ),
    _row("thigh_girth", "Thigh girth", "Leg", "tape", 300, 850, "Level round the thickest of the thigh, right under the seat.", "Taken halfway down.", True),
    _row("mid_thigh_girth", "Mid thigh girth", "Leg", "tape", 270, 750, "Level round, midway between crotch and knee.", "The muscle tensed.", True),
    _row("thigh_girth_seated", "Thigh girth, seated", "Leg", "tape", 310, 900, "Sitting on a hard chair's edge: round the thickest of the thigh.", "Only measured standing.", True, _CP),
    _row("knee_girth", "Knee girth", "Leg", "tape", 230, 560, "Leg straight: round the middle of the kneecap.", "Taken below the kneecap.", True),
    _row("knee_girth_bent", "Knee girth, bent", "Leg", "tape", 245, 600, "Knee bent to a right angle: over the kneecap and through the hollow.", "Only the straight leg measured.", True),
    _row("calf_girth", "Calf girth", "Leg", "tape", 210, 540, "Round the thickest of the calf, standing.", _TIGHT, True),
    _row("ankle_girth", "Ankle girth", "Leg", "tape", 150, 340, "Round the narrowest right above the ankle bones.", "Taken over the bones.", True),
    _row("heel_instep_girth", "Heel to instep girth", "Leg", "tape", 210, 450, "Round the heel's back and over the instep, foot pointed.", "Left out, and the shin does not go over the foot.", True),
    _row("crotch_height", "Inside leg", "Leg", "board", 480, 1020, "Floor to crotch along the inside of the leg, barefoot.", "Trousers measured instead of the leg."),
    _row("knee_height", "Knee height", "Leg", "board", 290, 660, "Floor to the middle of the kneecap, standing.", "Measured seated, to the top of the thigh.", True),
    _row("thigh_length", "Thigh length", "Leg", "tape", 260, 580, "From the bony side of the hip down to the middle of the kneecap.", "Begun at the waist.", True),
    _row("shank_length", "Shin length", "Leg", "tape", 250, 560, "From the middle of the kneecap to the middle of the ankle bone.", "Measured to the floor.", True),
    _row("foot_length", "Foot length", "Foot", "board", 170, 330, "Heel against a wall: to the tip of the longest toe, standing.", "The shoe's size turned into a length.", True),
    _row("foot_breadth", "Foot breadth", "Foot", "caliper", 60, 135, "Straight across the ball of the foot, standing.", "Measured seated.", True),
)  # fmt: skip
ROWS = {key: row for row in TABLE for key in row.keys}
"""Row by every key it is kept under."""


def bare_key(key: str) -> str:
    """The key without its side.

    >>> bare_key("left_wrist_girth_mm")
    'wrist_girth_mm'
    """
    for side in ("left_", "right_"):
        if key.startswith(side) and key.removeprefix(side) in ROWS:
            return key.removeprefix(side)
    return key


def side_of(key: str) -> str:
    """left, right or nothing."""
    return key.split("_", 1)[0] if bare_key(key) != key else ""
