"""Learning from prints: coefficients with their intervals, and what prints cannot tell."""

from wideberth.core.logbook.learn.estimate import Estimate
from wideberth.core.logbook.learn.fit import (
    Fit,
    Forecast,
    Interval,
    Residual,
    changed_values,
    fit_of,
    forecast_of,
    learn,
    learnt_bench,
    makers_of,
    residuals_of,
    unlearnt,
)
from wideberth.core.logbook.learn.shown import Shown, shown_prints
from wideberth.core.logbook.learn.strength import chance_of_letting_go

__all__ = [
    "Estimate",
    "Fit",
    "Forecast",
    "Interval",
    "Residual",
    "Shown",
    "chance_of_letting_go",
    "changed_values",
    "fit_of",
    "forecast_of",
    "learn",
    "learnt_bench",
    "makers_of",
    "residuals_of",
    "shown_prints",
    "unlearnt",
]
