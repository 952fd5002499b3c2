"""The trainer's shelf: awkward models of our own, what is guessed of them, and the points for a guess."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from wideberth.core.model import Mesh, Source, binary_stl, parse_model, read_model
from wideberth.demo import mesh_path
from wideberth.demo.shapes import Space, add_ball, box, smooth_union, to_mesh, tube, turned


@dataclass(frozen=True)
class Awkward:
    """A model of the shelf: what makes it awkward, and how it is made."""

    key: str
    title: str
    why: str
    make: Callable[[], Source]


def _shipped(name: str) -> Callable[[], Source]:
    return lambda: read_model(mesh_path(name))


def _made(title: str, make: Callable[[], Mesh]) -> Callable[[], Source]:
    return lambda: parse_model(title, ".stl", binary_stl(make()))


def bowl() -> Mesh:
    """A bowl, 60 mm across, walls of 3 mm: a cup whichever way it stands, and a rim that is all free edge."""
    space = Space((-33, -33, -1), (33, 33, 27), 0.5)
    outer = turned(space, [0, 3, 10, 25], [10, 17, 26, 30])
    inner = turned(space, [3, 6, 12, 27], [6, 14, 23, 27.4])
    return to_mesh(np.maximum(outer, -inner).astype(np.float32), space, 20_000)


def bollard() -> Mesh:
    """A mooring bollard, 46 mm tall: a heavy head on a thin neck."""
    space = Space((-20, -20, -1), (20, 20, 48), 0.5)
    body = turned(space, [0, 4, 8, 30, 34, 40, 46], [17, 16, 5, 4.2, 12, 14, 8])
    return to_mesh(body, space, 16_000)


def rack() -> Mesh:
    """An oar rack: a beam 90 mm long with five pegs that begin in mid-air, whichever way it hangs."""
    space = Space((-48, -10, -1), (48, 24, 12), 0.5)
    body = box(space, (0, 0, 5), (45, 4, 4), 1.0)
    for x in np.linspace(-36, 36, 5):
        peg = space.empty()
        for y in np.linspace(3, 19, 18):
            add_ball(peg, space, np.array([x, y, 5 + 0.18 * y]), 2.2)
        body = smooth_union(body, peg, 1.0)
    return to_mesh(np.maximum(body, -tube(space, (0.0, 0.0), 1.6, -2, 12)).astype(np.float32), space, 20_000)


SHELF: tuple[Awkward, ...] = (
    Awkward("bowl", "Bowl", "a cup whichever way it stands, with a rim that is all free edge", _made("Bowl", bowl)),
    Awkward("bollard", "Bollard", "a heavy head on a thin neck", _made("Bollard", bollard)),
    Awkward("rack", "Oar rack", "pegs that begin in mid-air", _made("Oar rack", rack)),
    Awkward("plate", "Name plate", "one large flat face", _shipped("name plate")),
    Awkward("claw", "Claw", "teeth and knobs that begin as islands", _shipped("claw")),
    Awkward("bell", "Ship's bell", "open below, heavy above", _shipped("bell")),
)


@dataclass(frozen=True)
class Guess:
    """What someone says before they see the verdict: the weakest tip's margin, its height, and the chance that a part is lost."""

    margin: float
    z_mm: float
    chance: float


@dataclass(frozen=True)
class Points:
    """Out of 100: for the margin 40, for where it is weakest 20, for what happened 40."""

    margin: int
    place: int
    outcome: int

    @property
    def total(self) -> int:
        return self.margin + self.place + self.outcome


FOR_MARGIN, FOR_PLACE, FOR_OUTCOME = 40, 20, 40
HALF_AT_LN, HALF_AT_SHARE = 0.3, 0.1
"""A third and a bit off the margin, or a tenth of the height off the place, is worth half the points."""


def points_of(guess: Guess, margin: float | None, z_mm: float, height_mm: float, lost: bool) -> Points:
    """Points for a guess, against the verdict and what the simulated printer made of it.

    Parameters
    ----------
    margin, z_mm : of the verdict; None where nothing hangs on tips, when any margin of 6 or more is right.
    """
    truth = 6.0 if margin is None else min(max(margin, 0.01), 6.0)
    off = abs(math.log(min(max(guess.margin, 0.01), 6.0) / truth))
    away = abs(guess.z_mm - z_mm) / max(height_mm, 1e-6)
    brier = (min(max(guess.chance, 0.0), 1.0) - float(lost)) ** 2
    return Points(
        round(FOR_MARGIN * 0.5 ** (off / HALF_AT_LN)),
        round(FOR_PLACE * 0.5 ** (away / HALF_AT_SHARE)),
        round(FOR_OUTCOME * (1 - brier)),
    )
