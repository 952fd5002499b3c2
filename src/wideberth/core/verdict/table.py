"""The table of findings: for each code the step whose controls help, how severe it is, and what to do.

Findings are made here alone, by `told`; other rooms supply facts. A severity rule takes the figure that decides and the house's
thresholds. A remedy that depends on the facts is given with them; the others stand here.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from wideberth.core.bench import HouseRules
from wideberth.core.verdict.code import Code
from wideberth.core.verdict.finding import DOUBTFUL, LOST, NOTE, Finding, Spot

LARGE_TIMES = 4.0
SeverityRule = Callable[[float, HouseRules], str | None]
"""From the figure that decides to a severity; None where there is nothing to say."""


def by_margin(margin: float, house: HouseRules) -> str | None:
    """Below 1 it lets go; the house says up to where it is doubtful, and up to where worth a note."""
    if margin < 1:
        return LOST
    return DOUBTFUL if margin < house.margin_doubtful else NOTE if margin < house.margin_note else None


def is_weak(margin: float | None, house: HouseRules) -> bool:
    """Whether a margin is lost or doubtful."""
    return margin is not None and by_margin(margin, house) in (LOST, DOUBTFUL)


def _always(severity: str) -> SeverityRule:
    return lambda _figure, _house: severity


def _post(margin: float, house: HouseRules) -> str | None:
    """A post that bends aside may still carry: doubtful below 1."""
    return DOUBTFUL if margin < 1 else NOTE if margin < house.margin_doubtful else None


def _sag(layers: float, house: HouseRules) -> str | None:
    return DOUBTFUL if layers > house.sag_doubtful_layers else NOTE


def _sealed(times_quiet: float, house: HouseRules) -> str | None:
    return DOUBTFUL if times_quiet >= house.heavy_suction else NOTE


def _pixels(shows: float, _house: HouseRules) -> str | None:
    """An island is lost; one that may not even show (0) is a note."""
    return LOST if shows else NOTE


def _bond(layers: float, _house: HouseRules) -> str | None:
    return LOST if layers < 1 else DOUBTFUL


def _level(times_worth: float, _house: HouseRules) -> str | None:
    """From the area that is worth a word; from four times that it is doubtful."""
    return DOUBTFUL if times_worth >= LARGE_TIMES else NOTE if times_worth >= 1 else None


def _wait(seconds: float, _house: HouseRules) -> str | None:
    return DOUBTFUL if seconds == 0 else NOTE


@dataclass(frozen=True)
class Rule:
    """How a finding of one code is made. remedy : "" where the facts decide it."""

    step: str
    severity: SeverityRule
    remedy: str = ""


lost, doubtful, note = _always(LOST), _always(DOUBTFUL), _always(NOTE)
TABLE: dict[Code, Rule] = {
    Code.ISLAND: Rule("support", _pixels),
    Code.ISLAND_INSIDE: Rule("hollow", lost, "Turn the part, close its floor, or keep it solid."),
    Code.CRUMB: Rule("hollow", note, "Turn the part, thicken the wall, or wash the chamber well."),
    Code.NOTHING_HOLDS: Rule("support", lost, "Set the part on the plate, or propose tips."),
    Code.TIP_MARGIN: Rule("support", by_margin, "Add a tip near it or make it thicker."),
    Code.TIP_MISSES: Rule("support", doubtful, "Propose tips again for this pose."),
    Code.TIP_IN_HOLE: Rule("support", note, "The margins count without; move the hole if a beginning wants one."),
    Code.FOOT_ON_PART: Rule("support", note, "Turn the part, or keep it where the mark does not show."),
    Code.LIMB_IN_PART: Rule("support", doubtful, "Carry it anew, or move its tip."),
    Code.TIPS_TOGETHER: Rule("support", note, "Move one aside or take it away."),
    Code.TIP_TOO_FINE: Rule("support", doubtful, "Make it thicker."),
    Code.NO_WAY_FOR_SNIPS: Rule("support", note, "Twist it off with care, or move it to where snips reach."),
    Code.MARK_FORBIDDEN: Rule("support", doubtful, "Turn the part so that this face looks up, or move them."),
    Code.UNSTEADY: Rule("support", doubtful, "Add a tip off their line."),
    Code.POST_BUCKLES: Rule(
        "support", _post, "Stouter posts, diagonals between them, a slower return, or a pose nearer the plate."
    ),
    Code.PLATE_MARGIN: Rule("support", by_margin, "A wider base, or first layers exposed longer."),
    Code.FACE_ON_PLATE: Rule("orient", _level, "Stand it on posts or tilt it, if it must be true or come off easily."),
    Code.FACE_RAISED: Rule("orient", _level),
    Code.NECK: Rule("support", by_margin, "Put a tip beyond it, turn the part, or thicken it."),
    Code.SAGS: Rule("support", _sag),
    Code.CURLS: Rule("support", _sag),
    Code.CEILING_SAGS: Rule("hollow", _sag, "A lattice inside or a steeper pose: no tip may stand in a chamber."),
    Code.CUP_SEALED: Rule("drain", _sealed, "Drill a hole nearer the plate, or turn the part."),
    Code.CUP_VENTED: Rule("drain", note, "A wider or further hole lowers it."),
    Code.CUP_OF_SUPPORTS: Rule("support", _sealed, "Take a post or a tip away where it closes in, or move it aside."),
    Code.WAY_UNKNOWN: Rule("drain", note, "Drill a hole into the cup beside it to be sure."),
    Code.TRAP: Rule("drain", doubtful, "Drill a drain hole into this chamber."),
    Code.SHUT_UNTIL_CLEANED: Rule("support", note, "Wash again after taking the supports off."),
    Code.NO_CHAMBER: Rule("hollow", note, "A thinner wall, or keep it solid."),
    Code.HOLE_BLIND: Rule("drain", doubtful, "Move it to where the wall leads to void."),
    Code.HOLE_IDLE: Rule("drain", note, "It may still drain or let air in; else move it nearer the plate."),
    Code.DRAINS_BADLY: Rule("drain", doubtful, "Another hole where it stays, or wash by turning it over and over."),
    Code.AIR_LOCKED: Rule("drain", doubtful, "A second hole for air, or a wider one."),
    Code.NARROW_PASSAGE: Rule("hollow", note, "Fill it (smallest passage), or give each its own holes."),
    Code.UNCURED_INSIDE: Rule("drain", note, "Wash well inside, shine in through the holes, or add one across from them."),
    Code.AREA_JUMP: Rule("orient", note, "A slight tilt spreads the jump over many layers."),
    Code.SETTLES_SLOWLY: Rule("bench", note),
    Code.TOO_TALL: Rule("split", lost, "Turn it, scale it or split it."),
    Code.OFF_PLATE: Rule("plate", lost, "Move it, turn it, or split it."),
    Code.IN_KEPT_FREE: Rule("plate", doubtful, "Move it away, arrange the plate anew, or change the zone on the Bench."),
    Code.OPEN_MESH: Rule("model", doubtful, "Mend the mesh; until then trust areas, not walls."),
    Code.BROKEN_ROWS: Rule("model", note, "Mend the mesh."),
    Code.SOUND_COPY: Rule("model", note, "Look at what Mend it would change, and whether that is what was meant."),
    Code.LAYER_HEIGHT: Rule("bench", doubtful),
    Code.LAYER_STEP: Rule("bench", note),
    Code.LIFT_INCHES: Rule("bench", doubtful),
    Code.LIFT_SHORT: Rule("bench", doubtful),
    Code.TOO_FAST: Rule("bench", note),
    Code.TOO_SLOW: Rule("bench", note),
    Code.NO_WAIT: Rule("bench", _wait),
    Code.REST_SHORT: Rule("bench", doubtful),
    Code.UNDER_BONDED: Rule("bench", _bond),
    Code.BLEEDING: Rule("bench", note),
    Code.NO_FIRST_LAYERS: Rule("bench", doubtful, "Use 4 to 8 first layers."),
    Code.FIRST_SHORTER: Rule("bench", doubtful, "Expose first layers longer."),
    Code.HARD_TO_SCRAPE: Rule("bench", doubtful),
    Code.SHEET_BREAKS: Rule("bench", note, "Lift its edge all round with a thin blade before you push, or print it thicker."),
    Code.BATH_SPENT: Rule("bench", note, "Let it settle in the light and filter it, or make a fresh one; never down the drain."),
    Code.TOO_COLD: Rule("bench", doubtful, "Warm the room or the vat."),
    Code.TOO_WARM: Rule("bench", note, "Let it cool; see the maker's sheet."),
    Code.COARSE_PIXEL: Rule("bench", note, "Expect no finer walls, or use a finer printer."),
    Code.WRONG_BATH: Rule("bench", note, "Use the solvent that its data sheet names."),
    Code.STICKS_OUT: Rule("bench", note, "Wash it end by end, or in a larger bath."),
    Code.UNDER_LAMP: Rule("bench", note, "Cure it from both ends."),
    Code.FALLS_THROUGH: Rule("bench", note, "Put it in a finer sieve."),
}


def severity_of(code: Code, figure: float, house: HouseRules) -> str | None:
    """How severe a finding is by the figure that decides; None where there is nothing to say."""
    return TABLE[code].severity(figure, house)


def told(
    code: Code,
    house: HouseRules,
    message: str,
    z_mm: float = 0.0,
    *,
    figure: float = 0.0,
    remedy: str = "",
    x_mm: float | None = None,
    y_mm: float | None = None,
    spots: tuple[Spot, ...] = (),
    change: tuple[str, float] | None = None,
    seen_z_mm: float | None = None,
) -> list[Finding]:
    """A finding by the table; none where its rule has nothing to say.

    Parameters
    ----------
    figure : that decides how severe it is, where its rule asks for one. remedy : in place of the table's. Of several spots the
        first is the worst. The rest as in `Finding`.
    """
    rule = TABLE[code]
    severity = rule.severity(figure, house)
    if severity is None:
        return []
    if spots and x_mm is None:
        x_mm, y_mm, _ = spots[0]
    return [Finding(code, severity, z_mm, message, remedy or rule.remedy, rule.step, x_mm, y_mm, change, spots, seen_z_mm)]
