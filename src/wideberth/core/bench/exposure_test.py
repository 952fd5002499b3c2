"""An exposure test: what each exposure cured, the working curve through it, and what it says of an exposure.

The working curve is Jacobs' C_d = Dp ln(E/Ec) (P. F. Jacobs, Rapid Prototyping & Manufacturing, 1992). Cured thickness is
regressed on ln E; the slope is Dp, and Ec is where the line meets zero.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Annotated

import numpy as np
import scipy
from numpy.typing import NDArray
from pydantic import Field
from pydantic.dataclasses import dataclass as checked_dataclass

from wideberth.core.bench.schema import STRICT, Name
from wideberth.core.errors import BadBench

CONFIDENCE = 0.95
OUTLIER_LEVEL = 0.05
LEAST_PAIRS = 3


@checked_dataclass(frozen=True, config=STRICT)
class CuredPair:
    """One patch of the test: how long it was lit, how thick it came out, and whether the fit should use it."""

    seconds: Annotated[float, Field(gt=0, le=1000)]
    thickness_mm: Annotated[float, Field(gt=0, le=20)]
    used: bool = True


@checked_dataclass(frozen=True, config=STRICT)
class ExposureTest:
    """A logged exposure test of one resin on one printer at one temperature."""

    name: Name
    resin: Annotated[str, Field(max_length=80, description="the resin tested")]
    printer: Annotated[str, Field(max_length=80, description="the printer tested on")]
    irradiance_mw_per_cm2: Annotated[float, Field(gt=0, le=200, description="light power at the film")]
    vat_c: Annotated[float, Field(ge=-10, le=80, description="temperature during the test")]
    pairs: Annotated[tuple[CuredPair, ...], Field(max_length=200)] = ()
    smallest_slot_mm: Annotated[
        float | None, Field(gt=0, le=20, description="narrowest slot of the test plate that stayed open")
    ] = None
    smallest_pin_mm: Annotated[
        float | None, Field(gt=0, le=20, description="thinnest pin of the test plate that stands whole")
    ] = None
    smallest_wall_mm: Annotated[
        float | None, Field(gt=0, le=20, description="thinnest wall of the test plate that stands whole")
    ] = None
    plate_exposure_s: Annotated[float | None, Field(gt=0, le=300, description="light on the layers of the test plate")] = None
    film: Annotated[str, Field(max_length=80, description="the film tested on")] = ""
    known_width_mm: Annotated[float | None, Field(gt=0, le=200, description="a width as drawn")] = None
    measured_width_mm: Annotated[float | None, Field(gt=0, le=200, description="the same width as it came out")] = None
    date: Annotated[str, Field(max_length=40, description="when it was done")] = ""

    @property
    def growth_mm(self) -> float | None:
        """How far each edge grew outward, half of what the width gained; None until both widths are known."""
        if self.known_width_mm is None or self.measured_width_mm is None:
            return None
        return 0.5 * (self.measured_width_mm - self.known_width_mm)

    @property
    def smallest_mm(self) -> float | None:
        """The smallest feature that is legible both ways: slots stay open and pins and walls stand."""
        known = [v for v in (self.smallest_slot_mm, self.smallest_pin_mm, self.smallest_wall_mm) if v is not None]
        return max(known) if known else None


@dataclass(frozen=True, eq=False)
class WorkingCurve:
    """A working curve fitted to an exposure test.

    dp_mm, ec_mj_per_cm2 : the fit. dp_range, ec_range : their confidence intervals; an end is infinite, or zero for Ec,
    where the pairs say nothing. outliers : (pairs,) whether a pair lies further off the line through the others than chance
    explains; used ones stay in the fit until the user sets them aside. scatter_mm : standard deviation about the line. pairs,
    middle, spread : number, mean and sum of squares of the ln E used.
    """

    dp_mm: float
    ec_mj_per_cm2: float
    dp_range: tuple[float, float]
    ec_range: tuple[float, float]
    outliers: NDArray[np.bool_]
    off_mm: NDArray[np.float64]
    scatter_mm: float
    confidence: float
    pairs: int
    middle: float
    spread: float

    def band_mm(self, energy_mj_per_cm2: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Confidence band of the curve at exposures: its lower and upper edge [mm]."""
        x = np.log(np.asarray(energy_mj_per_cm2))
        t = _students_t(self.pairs - 2, 0.5 + self.confidence / 2)
        reach = t * self.scatter_mm * np.sqrt(1 / self.pairs + (x - self.middle) ** 2 / self.spread)
        depth = self.depth_mm(energy_mj_per_cm2)
        return depth - reach, depth + reach

    def depth_mm(self, energy_mj_per_cm2: NDArray[np.float64]) -> NDArray[np.float64]:
        """Cured depth at an exposure [mm]."""
        return self.dp_mm * np.log(np.asarray(energy_mj_per_cm2) / self.ec_mj_per_cm2)


def fit_working_curve(test: ExposureTest, confidence: float = CONFIDENCE) -> WorkingCurve:
    """Dp and Ec by least squares on ln E.

    The interval of Dp is Student's; that of Ec, a ratio of two estimates, is Fieller's exact one (E. C. Fieller, 1954),
    since the usual linearised one is far too narrow when the slope is uncertain. Outliers are told by externally
    studentised residuals with Bonferroni's correction.

    Raises
    ------
    BadBench : with fewer than three used pairs, all at one exposure, or a curve that does not rise.
    """
    pairs = [p for p in test.pairs if p.used]
    x_all = np.log([test.irradiance_mw_per_cm2 * p.seconds for p in test.pairs])
    y_all = np.array([p.thickness_mm for p in test.pairs])
    used = np.array([p.used for p in test.pairs], bool)
    if len(pairs) < LEAST_PAIRS:
        raise _refused(test, f"{len(pairs)} pairs are too few for a line and its error", "Enter at least three pairs.")
    x, y = x_all[used], y_all[used]
    if np.ptp(x) < 1e-9:
        raise _refused(test, "all pairs have the same exposure", "Enter pairs at different exposures.")
    slope, start = _line(x, y)
    if slope <= 0:
        raise _refused(test, "thickness does not rise with exposure", "Check the pairs: were two columns swapped?")
    n = len(x)
    free = n - 2
    scatter = math.sqrt(float(((y - start - slope * x) ** 2).sum()) / free)
    t = _students_t(free, 0.5 + confidence / 2)
    reach = t * scatter / math.sqrt(float(((x - x.mean()) ** 2).sum()))
    low, high = _fieller(x, y, slope, scatter, t)
    off = y_all - start - slope * x_all
    return WorkingCurve(
        slope,
        math.exp(-start / slope),
        (slope - reach, slope + reach),
        (math.exp(low), _exp(high)),
        _outliers(x_all, y_all, used),
        off,
        scatter,
        confidence,
        n,
        float(x.mean()),
        float(((x - x.mean()) ** 2).sum()),
    )


def _exp(value: float) -> float:
    return math.inf if value > 700 else math.exp(value)


def _fieller(x: NDArray[np.float64], y: NDArray[np.float64], slope: float, scatter: float, t: float) -> tuple[float, float]:
    """Interval of the x at which the line meets y = 0, by Fieller's theorem: where (ȳ + b(x - x̄))² ≤ t² s² (1/n + (x-x̄)²/Sxx)."""
    sxx = float(((x - x.mean()) ** 2).sum())
    limit = (t * scatter) ** 2
    a = slope**2 - limit / sxx
    b = slope * float(y.mean())
    c = float(y.mean()) ** 2 - limit / len(x)
    root = b * b - a * c
    if a <= 0 or root < 0:
        return -math.inf, math.inf
    ends = [(-b - math.sqrt(root)) / a, (-b + math.sqrt(root)) / a]
    return float(x.mean()) + ends[0], float(x.mean()) + ends[1]


def _line(x: NDArray[np.float64], y: NDArray[np.float64]) -> tuple[float, float]:
    """Slope and intercept of the least-squares line."""
    slope, start = np.polyfit(x, y, 1)
    return float(slope), float(start)


def _outliers(x: NDArray[np.float64], y: NDArray[np.float64], used: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which pairs the line through the *other* used ones does not explain, chance allowed for."""
    outlying = np.zeros(len(x), bool)
    for i in range(len(x)):
        rest = used.copy()
        rest[i] = False
        if rest.sum() < LEAST_PAIRS or np.ptp(x[rest]) < 1e-9:
            continue
        slope, start = _line(x[rest], y[rest])
        free = int(rest.sum()) - 2
        left = y[rest] - start - slope * x[rest]
        sxx = float(((x[rest] - x[rest].mean()) ** 2).sum())
        spread = math.sqrt(float((left**2).sum()) / free * (1 + 1 / rest.sum() + (x[i] - x[rest].mean()) ** 2 / sxx))
        off = abs(y[i] - start - slope * x[i])
        limit = _students_t(free, 1 - OUTLIER_LEVEL / (2 * len(x)))
        outlying[i] = off > max(limit * spread, 1e-9)
    return outlying


def _refused(test: ExposureTest, what: str, remedy: str) -> BadBench:
    return BadBench(f"{what}.", where=f"exposure test {test.name}", kept="The pairs are kept.", remedy=remedy)


def _students_t(free: int, share: float) -> float:
    """The value that Student's t with so many degrees of freedom stays under in a share of all cases."""
    return float(scipy.special.stdtrit(free, share))
