"""Text that several views share."""

from __future__ import annotations

from wideberth.core.logbook import Entry
from wideberth.core.units import duration_text

SEVERITY_WORDS = {"lost": "will be lost", "doubtful": "doubtful", "note": "worth knowing"}
STEP_NAMES = {
    "bench": "Bench", "model": "Model", "split": "Split", "hollow": "Hollow", "orient": "Orient", "drain": "Drain",
    "support": "Support", "plate": "Plate", "predict": "Predict", "plan": "Plan", "handover": "Hand over",
    "log": "Log",
}  # fmt: skip
STEP_KEYS = {
    "bench": "B", "model": "M", "split": "S", "hollow": "H", "orient": "O", "drain": "D", "support": "U", "plate": "P", 
    "predict": "R", "plan": "L", "handover": "V", "log": "G",
}  # fmt: skip
"""With Alt, the key to each step: a letter of its name, underlined in the course."""
MODEL_FILTER = "Models (*.stl *.obj *.ply *.3mf *.zip)"
JOB_FILTER = "Wide Berth job (*.3mf)"


def margin_text(margin: float | None) -> str:
    """A margin as the log prints it: ×1.4, or a dash where nothing hangs."""
    if margin is None:
        return "–"
    return f"×{margin:.1f}" if margin < 100 else "over ×99"


def hours_text(seconds: float) -> str:
    """A stretch of time as the views write it."""
    return duration_text(seconds)


def count(number: int, one: str, many: str | None = None) -> str:
    """`1 tip`, `2 tips`."""
    return f"{number} {one if number == 1 else many or one + 's'}"


def became_text(entry: Entry) -> str:
    """What became of a print, in a word or two."""
    if entry.failed:
        lost = sum(p.fate == "lost" for p in entry.parts)
        return "all lost" if entry.off_plate is not None or lost == len(entry.parts) else f"{lost} of {len(entry.parts)} lost"
    if entry.failed is False:
        return "flawed" if any(p.fate == "flawed" for p in entry.parts) else "held"
    return "not looked at" if entry.ended == "done" else entry.ended  # what was not finished did not hold to the end
