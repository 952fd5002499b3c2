"""Every colour of the program: a sea chart on paper by day."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Palette:
    """Colours by what they mean."""

    paper: str
    card: str
    ink: str
    faint: str
    rule: str
    water: str
    deep: str
    sand: str
    hazard: str
    hazard_pale: str
    good: str
    part: str
    post: str
    chosen: str


DAY = Palette(
    paper="#F6F1E3", card="#FFFDF6", ink="#1F3550", faint="#56616B", rule="#CFC8AC", water="#D6E5EC", deep="#9CC3D4",
    sand="#EADBB0", hazard="#A8195F", hazard_pale="#D9A0BC", good="#5D7437", part="#F7F1E0", post="#4A6078", chosen="#FFFDF6",
)  # fmt: skip

BODIES = ("#EADBB0", "#C7D3A2", "#E6BF9C", "#CFC3DC", "#BFD6CF", "#F2E8C6", "#D8C6B4")
"""Tints of the bodies of a layer, the largest first: land in several shades."""
