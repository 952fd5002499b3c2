"""Whether a model came in another unit: too small or too large by 25.4 or by 1000."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.model.mesh import Mesh
from wideberth.core.units import MM_PER_INCH

SMALL_MM = 8.0
ROOM = 3.0
READINGS = (("inches", MM_PER_INCH), ("metres", 1000.0), ("centimetres", 10.0))
SHRINKS = (
    ("mm taken for inches", 1 / MM_PER_INCH), ("micrometres", 1e-3), ("thousandths of an inch", MM_PER_INCH * 1e-3)
)  # fmt: skip


@dataclass(frozen=True)
class UnitGuess:
    """That a model looks to be in another unit. readings : (unit, factor, longest side then [mm]), the likeliest first."""

    longest_mm: float
    readings: tuple[tuple[str, float, float], ...]

    @property
    def question(self) -> str:
        """What to ask."""
        name, _, size = self.readings[0]
        return (
            f"Only {self.longest_mm:.2f} mm long: was it drawn in {name}, {size:.0f} mm?"
            if self.longest_mm < SMALL_MM
            else (f"{self.longest_mm:,.0f} mm long: was it drawn in {name}, {size:.0f} mm?")
        )


def guess_unit(mesh: Mesh, plate_mm: float) -> UnitGuess | None:
    """A guess when a model is much too small or too large to print as it is; None when its size may well be meant.

    Parameters
    ----------
    plate_mm : the longest side that the printer takes. A part three times as long may still be meant: it is split.
    """
    longest = float(mesh.extents_mm.max())
    if longest < SMALL_MM:
        fits = [(n, f, longest * f) for n, f in READINGS if SMALL_MM <= longest * f <= ROOM * plate_mm]
    elif longest > ROOM * plate_mm:
        fits = [(n, f, longest * f) for n, f in SHRINKS if SMALL_MM <= longest * f <= ROOM * plate_mm]
    else:
        return None
    return UnitGuess(longest, tuple(fits)) if fits else None
