"""What the page of ways up tells of each: its name, unit, figures, and how it is written."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from wideberth.core.bench import HouseRules
from wideberth.core.orient import PoseCost

UM_PER_MM = 1000.0


@dataclass(frozen=True)
class Shown:
    """One measure of a way up; less of it is better. head : short, for a column."""

    name: str
    head: str
    unit: str
    digits: int
    of: Callable[[PoseCost], float]

    def text(self, cost: PoseCost) -> str:
        return f"{self.of(cost):.{self.digits}f}"

    def difference(self, cost: PoseCost, now: PoseCost) -> str:
        """By how much it differs, with its sign; nothing where that does not show."""
        by = f"{self.of(cost) - self.of(now):+.{self.digits}f}"
        return "" if float(by) == 0 else by.replace("-", "−")


MEASURES = (
    Shown("pull on young layers", "young", "N", 1, lambda c: c.young_n),
    Shown("pull at its peak", "peak", "N", 1, lambda c: c.peak_n),
    Shown("pull on each tip", "a tip", "N", 2, lambda c: c.tip_load_n),
    Shown("suction", "suction", "N", 1, lambda c: c.suction_n),
    Shown("leverage", "lever", "N", 0, lambda c: c.lever_n),
    Shown("tips", "tips", "", 0, lambda c: c.tips),
    Shown("finishing", "finish", "min", 0, lambda c: c.mark_min),
    Shown("tips on clean faces", "clean", "", 0, lambda c: c.clean_tips),
    Shown("supports", "supports", "mL", 1, lambda c: c.support_ml),
    Shown("time", "time", "h", 1, lambda c: c.hours),
    Shown("height", "height", "mm", 0, lambda c: c.height_mm),
    Shown("resin left in hollows", "left", "mL", 1, lambda c: c.stays_ml),
    Shown("bores and pegs out of round", "round", "µm", 0, lambda c: UM_PER_MM * c.out_of_round_mm),
    Shown("steps of layers", "steps", "µm", 0, lambda c: UM_PER_MM * c.step_mm),
)
"""In the order of the table's columns."""


def all_in_all(house: HouseRules) -> Shown:
    """What ranks ways up in balance, by the house's weights."""
    return Shown("all of it, weighed", "all", "", 0, lambda c: c.total(house))


def sentence(cost: PoseCost, now: PoseCost, name: str) -> str:
    """Why one would take it, in words: what it is best at, what it gains, and what it costs beside the present pose."""
    gains, costs = [], []
    for shown in MEASURES:
        value, present = shown.of(cost), shown.of(now)
        if abs(value - present) < 0.1 * max(abs(present), 10.0**-shown.digits):
            continue
        text = f"{shown.name} {shown.text(cost)} {shown.unit}".rstrip() + f" instead of {shown.text(now)}"
        (gains if value < present else costs).append((abs(value - present) / max(value, present, 1e-9), text))
    best = [text for _, text in sorted(gains, reverse=True)[:3]]
    worst = [text for _, text in sorted(costs, reverse=True)[:2]]
    told = f"{name[:1].upper()}{name[1:]}"
    told += f": it gains {', '.join(best)}" if best else ": it gains nothing that counts"
    return told + (f"; it costs {', '.join(worst)}." if worst else ", and costs nothing that counts.")
