"""Why a support is there: as data, with the sentence made when it is shown."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum


class NeedKind(StrEnum):
    """What a contact answers."""

    ISLAND = "island"
    FREE_EDGE = "free edge"
    UNDERSIDE = "underside"
    SAGGING = "sagging"
    STEADIES = "steadies"
    FINDING = "finding"
    BY_HAND = "by hand"


@dataclass(frozen=True)
class Need:
    """Why a contact is there.

    carries_n : greatest load [N] that its size was chosen for, None when it was not sized. moved_aside : whether it stands beside
    a drain hole that it was moved out of. finding : code of the finding that asked for it.
    """

    kind: NeedKind = NeedKind.BY_HAND
    carries_n: float | None = None
    moved_aside: bool = False
    finding: str = ""

    @property
    def short(self) -> str:
        """What it answers, without numbers."""
        return f"asked for by: {self.finding}" if self.kind is NeedKind.FINDING else str(self.kind)

    @property
    def words(self) -> str:
        """The sentence: "island, carries 0.42 N, moved out of a drain hole"."""
        load = "" if self.carries_n is None else f", carries {max(self.carries_n, 0):.2f} N"
        return self.short + load + (", moved out of a drain hole" if self.moved_aside else "")


def need_from_words(words: str) -> Need:
    """The need that a sentence of version 1 of the recipe told."""
    load = re.search(r"carries ([\d.]+) N", words)
    carries, aside = float(load.group(1)) if load else None, "moved out of a drain hole" in words
    first = words.split(",")[0].strip()
    if asked := re.match(r"asked for by: (\w+)", first):
        return Need(NeedKind.FINDING, carries, aside, asked.group(1))
    kind = next((k for k in NeedKind if k is not NeedKind.FINDING and first == k), NeedKind.BY_HAND)
    return Need(kind, carries, aside)
