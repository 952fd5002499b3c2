"""Prints that happened: what was expected of them, what was measured, and what that teaches."""

from wideberth.core.logbook.causes import BY_KEY, CAUSES_OF_FAILURE, Cause, had_warned
from wideberth.core.logbook.expected import Expected, expected_of, packed, unpacked
from wideberth.core.logbook.logging import ended_entry, entry_for, fitted_prints
from wideberth.core.logbook.measured import Measured, Sample, measured_of, packed_measures, unpacked_measures
from wideberth.core.logbook.record import (
    CAME_OFF,
    ENDED,
    FATES,
    METHODS,
    PLACES,
    SCARS,
    STAGES,
    Ended,
    Entry,
    PartOutcome,
    Scars,
    Spot,
    Told,
    utc_now,
)
from wideberth.core.logbook.store import Logbook, Search, logbook_file
from wideberth.core.logbook.watch import Alarm, Watch, alarm_text

__all__ = [
    "BY_KEY",
    "CAME_OFF",
    "CAUSES_OF_FAILURE",
    "ENDED",
    "FATES",
    "METHODS",
    "PLACES",
    "SCARS",
    "STAGES",
    "Alarm",
    "Cause",
    "Ended",
    "Entry",
    "Expected",
    "Logbook",
    "Measured",
    "PartOutcome",
    "Sample",
    "Scars",
    "Search",
    "Spot",
    "Told",
    "Watch",
    "alarm_text",
    "ended_entry",
    "entry_for",
    "expected_of",
    "fitted_prints",
    "had_warned",
    "logbook_file",
    "measured_of",
    "packed",
    "packed_measures",
    "unpacked",
    "unpacked_measures",
    "utc_now",
]
