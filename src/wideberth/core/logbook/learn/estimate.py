"""What a fit says of one coefficient, and how it is found: the most likely value, given prints and what was thought before."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

Values = NDArray[np.float64]
HALF_90 = 1.645
"""Standard deviations to either end of a 90 % interval."""
ENDS = 2.0
"""Standard deviations that a bench's range reaches to either side."""
KNOWN_WITHIN = 0.08
"""Half of the 90 % interval, as a share, up to which prints count as telling a coefficient: it is then within a tenth, 24 times
in 25."""


@dataclass(frozen=True)
class Estimate:
    """One coefficient.

    key : of the bench. was, was_sd : before, and its standard deviation, of its logarithm where `is_log`. value, sd : after.
    scatter : from print to print, of the same kind. prints : that had anything to say of it.
    together : prints tell it with another one as a sum, better than each by itself.
    """

    key: str
    was: float
    was_sd: float
    value: float
    sd: float
    prints: int
    is_log: bool = True
    scatter: float = 0.0
    together: bool = False

    @property
    def low(self) -> float:
        """Lower end of the 90 % interval."""
        return self._off(-HALF_90 * self.sd)

    @property
    def high(self) -> float:
        """Upper end of the 90 % interval."""
        return self._off(HALF_90 * self.sd)

    @property
    def half_share(self) -> float:
        """Half of the 90 % interval as a share of the value."""
        return 0.5 * (self.high - self.low) / max(abs(self.value), 1e-9)

    @property
    def is_told(self) -> bool:
        """Whether the prints tell it: nearly, and better than it was known before."""
        return self.prints > 0 and self.half_share <= KNOWN_WITHIN and self.sd < 0.8 * self.was_sd

    @property
    def is_of_use(self) -> bool:
        """Whether it is worth taking over: told, or told with another one as a sum."""
        return self.is_told or self.together

    @property
    def range_share(self) -> float:
        """The range to reckon with for the next print, as the bench has it: two standard deviations, print to print included."""
        spread = float(np.hypot(self.sd, self.scatter))
        return float(np.expm1(ENDS * spread)) if self.is_log else ENDS * spread / max(abs(self.value), 1e-9)

    def _off(self, by: float) -> float:
        return self.value * float(np.exp(by)) if self.is_log else self.value + by


def log_sd(share: float) -> float:
    """Standard deviation of the logarithm of a coefficient whose range is a share of itself."""
    return max(float(np.log1p(share)) / ENDS, 1e-4)


def most_likely(misses: Callable[[Values], Values], start: Values, data: int) -> tuple[Values, Values, Values]:
    """Values, their covariance, and what is left of each datum, for misses in standard deviations.

    Parameters
    ----------
    misses : of parameters (n,): (data + rest,) the first `data` are measurements, taken robustly; the rest are what was thought
        before, taken as they are.

    Notes
    -----
    Measurements count as in least squares up to a standard deviation and less and less beyond (soft L1), so that a door that
    slams moves nothing. The covariance is Gauss-Newton's.
    """

    def loss(squares: Values) -> Values:
        out = np.ones((3, len(squares)))
        out[0], out[2] = squares, 0.0
        root = np.sqrt(1 + squares[:data] / SOFT**2)
        out[0, :data] = 2 * SOFT**2 * (root - 1)
        out[1, :data] = 1 / root
        out[2, :data] = -0.5 / SOFT**2 / root**3
        return out

    found = least_squares(misses, start, loss=loss, method="trf", x_scale="jac", max_nfev=60)
    normal = found.jac.T @ found.jac
    return found.x, np.linalg.pinv(normal), np.asarray(misses(found.x)[:data])


SOFT = 2.0
"""Standard deviations from which a measurement counts less."""
