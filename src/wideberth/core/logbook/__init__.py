"""Prints that happened: what was expected of them, what was measured, and what that teaches.

The store is loaded when it is first asked for: its database library takes a while, and most windows open no log at first.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from wideberth.core.logbook.accuracy import Accuracy, Errors, Step, accuracy_of, by_printer, chance_of
from wideberth.core.logbook.alike import Alike, Change, ScarTally, Tally, alike, next_time, scar_tallies, tally
from wideberth.core.logbook.behind import CHANGED, Behind, Service, behind_of
from wideberth.core.logbook.causes import BY_KEY, CAUSES_OF_FAILURE, Cause, had_warned
from wideberth.core.logbook.expected import CHECKS, PULLED, Coefficients, Expected, expected_of
from wideberth.core.logbook.expected_file import packed, unpacked
from wideberth.core.logbook.following import close_abandoned, followed
from wideberth.core.logbook.learn import (
    Estimate,
    Fit,
    Forecast,
    Interval,
    Residual,
    Shown,
    chance_of_letting_go,
    changed_values,
    fit_of,
    forecast_of,
    learn,
    learnt_bench,
    makers_of,
    residuals_of,
    shown_prints,
    unlearnt,
)
from wideberth.core.logbook.logging import ended_entry, entry_for, told_of
from wideberth.core.logbook.measured import Measured, Sample, measured_of, packed_measures, unpacked_measures
from wideberth.core.logbook.record import (
    CAME_OFF,
    ENDED,
    FATES,
    METHODS,
    PLACES,
    REAL,
    SCARS,
    SIMULATED,
    STAGES,
    CameOff,
    Ended,
    Entry,
    Exercise,
    PartOutcome,
    Scars,
    Search,
    Spot,
    TakenFit,
    Told,
    utc_now,
)
from wideberth.core.logbook.table_file import log_csv, read_log_csv, write_log_csv
from wideberth.core.logbook.watch import Alarm, Watch, alarm_text

if TYPE_CHECKING:
    from wideberth.core.logbook.store import Logbook, logbook_file

__all__ = [
    "BY_KEY",
    "CAME_OFF",
    "CAUSES_OF_FAILURE",
    "CHANGED",
    "CHECKS",
    "ENDED",
    "FATES",
    "METHODS",
    "PLACES",
    "PULLED",
    "REAL",
    "SCARS",
    "SIMULATED",
    "STAGES",
    "Accuracy",
    "Alarm",
    "Alike",
    "Behind",
    "CameOff",
    "Cause",
    "Change",
    "Coefficients",
    "Ended",
    "Entry",
    "Errors",
    "Estimate",
    "Exercise",
    "Expected",
    "Fit",
    "Forecast",
    "Interval",
    "Logbook",
    "Measured",
    "PartOutcome",
    "Residual",
    "Sample",
    "ScarTally",
    "Scars",
    "Search",
    "Service",
    "Shown",
    "Spot",
    "Step",
    "TakenFit",
    "Tally",
    "Told",
    "Watch",
    "accuracy_of",
    "alarm_text",
    "alike",
    "behind_of",
    "by_printer",
    "chance_of",
    "chance_of_letting_go",
    "changed_values",
    "close_abandoned",
    "ended_entry",
    "entry_for",
    "expected_of",
    "fit_of",
    "followed",
    "forecast_of",
    "had_warned",
    "learn",
    "learnt_bench",
    "log_csv",
    "logbook_file",
    "makers_of",
    "measured_of",
    "next_time",
    "packed",
    "packed_measures",
    "read_log_csv",
    "residuals_of",
    "scar_tallies",
    "shown_prints",
    "tally",
    "told_of",
    "unlearnt",
    "unpacked",
    "unpacked_measures",
    "utc_now",
    "write_log_csv",
]


def __getattr__(name: str) -> Any:
    """The store's own names, from where they are."""
    if name in ("Logbook", "logbook_file"):
        from wideberth.core.logbook import store

        return getattr(store, name)
    raise AttributeError(name)
