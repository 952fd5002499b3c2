"""The search for poses: many ways up weighed on a stand-in, the best refined, and picks by what matters to whom."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from wideberth.core.bench import Bench, HouseRules, Printer
from wideberth.core.loads import Finish
from wideberth.core.model import Mesh, frame_along, rotation_about, stand_in
from wideberth.core.orient.directions import directions
from wideberth.core.orient.measures import SOLID, Inside, Light, PoseCost, finish_on, weigh_pose
from wideberth.core.orient.pose import UPRIGHT, Pose, as_turn
from wideberth.core.progress import Progress, quiet

Values = NDArray[np.float64]
TRIANGLES = 12_000
THREADS = 2
TURN_STEP_DEG = 5.0
REFINE_DEG = (5.0, 2.5, 1.2, 0.6)
WEIGHED = 0.5
"""About so much of the time goes into the first look at all ways up; the rest into refining the best."""
ROUND = 8
"""Neighbours that are tried around a pose in each step of refining."""
LEANS_DEG = {"tilted 30 to 45°": (28.0, 47.0), "tilted slightly": (4.0, 16.0)}
UPRIGHT_DEG = 6.0
CLEAN_TIPS = 0.5
"""Fewer tips than this on clean faces are none."""
Told = Callable[[tuple[PoseCost, ...]], None]


@dataclass(frozen=True)
class Limits:
    """What a pose must keep to. fits : on the printer. clean : no tip where marks are forbidden. most_hours : None for any."""

    fits: bool = True
    clean: bool = True
    most_hours: float | None = None

    def keep(self, cost: PoseCost) -> bool:
        """Whether a pose keeps to them."""
        in_time = self.most_hours is None or cost.hours <= self.most_hours
        return (cost.fits or not self.fits) and (cost.clean_tips < CLEAN_TIPS or not self.clean) and in_time


@dataclass(frozen=True, eq=False)
class Poses:
    """What a search found.

    costs : every pose that was weighed, the best by the house's weights first. now : the part as it came, raised. picks : by
    name, one for each thing that may matter and one for each school, where there is one that fits. faces : (m, 3) outward normals
    of flat faces, which the schools speak of.
    """

    costs: tuple[PoseCost, ...]
    now: PoseCost
    picks: dict[str, PoseCost]
    faces: Values


def search_poses(
    mesh: Mesh,
    bench: Bench,
    progress: Progress | None = None,
    told: Told | None = None,
    most: int | None = None,
    finish: Finish | None = None,
    inside: Inside = SOLID,
) -> Poses:
    """Weigh ways up of a mesh and refine the best for each measure.

    Parameters
    ----------
    told : hears now and then of all that was weighed so far, the best first. most : weigh no more than so many ways up, the
    most promising and an even choice of the rest, and refine none. finish : what a mark costs on each face of the mesh. inside
    : what else matters to a pose.

    Raises
    ------
    Cancelled : when the progress is cancelled.
    """
    progress = progress or quiet()
    light = light_of(mesh, finish, inside)
    stand, corners = light.mesh, hull_corners(light.mesh)
    gap = bench.supports.gap_mm
    seen = directions(stand)
    ups = seen.ups if most is None else seen.ups[_some(len(seen.ups), most)]
    now = weigh_pose(light, Pose(UPRIGHT, gap), bench)
    costs: list[PoseCost] = []

    def weigh(up: Values) -> PoseCost:
        return weigh_pose(light, pose_of(up, corners, bench.printer, gap), bench)

    with ThreadPoolExecutor(THREADS) as side_by_side:

        def weigh_all(several: Iterable[Values], share: Progress, phrase: str) -> list[PoseCost]:
            tried = [side_by_side.submit(weigh, up) for up in several]
            done: list[PoseCost] = []
            try:
                for number, one in enumerate(tried):
                    share.at(number / len(tried), phrase)
                    done.append(one.result())
                    if told is not None and number % 24 == 0:
                        told(_ranked([*costs, *done], bench.house))
            finally:
                for one in tried:
                    one.cancel()
            return done

        finer = REFINE_DEG if most is None else ()
        weighing, *refining = progress.stretches(*np.linspace(WEIGHED if finer else 1.0, 1.0, 1 + len(finer)))
        costs += weigh_all(ups, weighing, "weighing poses")
        for share, degrees in zip(refining, finer, strict=True):
            best = _distinct(picks_of(costs, seen.faces, bench.house).values())
            around = [up for one in best for up in _around(one.up, degrees)]
            costs += weigh_all(around, share, "refining the best")
    return Poses(_ranked(costs, bench.house), now, picks_of(costs, seen.faces, bench.house), seen.faces)


def light_of(mesh: Mesh, finish: Finish | None = None, inside: Inside = SOLID) -> Light:
    """A mesh made ready to be weighed in many poses, on a stand-in; finish, inside : as in `search_poses`."""
    stand = stand_in(mesh, TRIANGLES)
    inner = None if inside.cavity is None else stand_in(inside.cavity, TRIANGLES)
    return Light.of(stand, None if finish is None else finish_on(stand, mesh, finish), replace(inside, cavity=inner))


def pose_of(up: Values, corners: Values, printer: Printer, gap_mm: float) -> Pose:
    """The pose with a way up (3,), turned about the plate's upright so that it fits best.

    Parameters
    ----------
    corners : (n, 3) of the part's hull.
    """
    upright = frame_along(up)
    level = corners @ upright[:2].T
    best, least = 0.0, np.inf
    for degrees in np.arange(0.0, 180.0, TURN_STEP_DEG):
        c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
        x, y = c * level[:, 0] - s * level[:, 1], s * level[:, 0] + c * level[:, 1]
        takes = max(np.ptp(x) / printer.plate_x_mm, np.ptp(y) / printer.plate_y_mm)
        if takes < least - 1e-9:
            best, least = float(degrees), takes
    return Pose(as_turn(rotation_about(2, best) @ upright), gap_mm)


def picks_of(costs: Iterable[PoseCost], faces: Values, house: HouseRules, limits: Limits | None = None) -> dict[str, PoseCost]:
    """One pose for each thing that may matter, and one for each school; only such as keep to the limits, or that fit, if any
    does.

    Parameters
    ----------
    faces : (m, 3) outward normals of flat faces, the largest first: schools differ on how these should lie. limits : the usual
    ones when left out.
    """
    known = list(costs)
    kept = [c for c in known if (limits or Limits()).keep(c)]
    fitting = kept or [c for c in known if c.fits] or known
    wants: dict[str, Callable[[PoseCost], float]] = {
        "balanced": lambda c: c.total(house),
        "least pull": lambda c: c.peak_n + c.suction_n,
        "least on young layers": lambda c: c.young_n,
        "least on each tip": lambda c: c.tip_load_n,
        "fewest finishing minutes": lambda c: c.mark_min,
        "least support": lambda c: c.support_ml,
        "quickest": lambda c: c.hours,
        "lowest": lambda c: c.height_mm,
        "steadiest": lambda c: c.lever_n,
    }
    if any(c.stays_ml for c in fitting):
        wants["least resin left in it"] = lambda c: c.stays_ml
    if any(c.out_of_round_mm for c in fitting):
        wants["truest bores and pegs"] = lambda c: round(c.out_of_round_mm, 3)
    picks = {name: min(fitting, key=lambda c, of=of: (of(c), c.total(house))) for name, of in wants.items()}  # type: ignore[misc]
    for name, school in _schools(faces).items():
        if some := [c for c in fitting if school(c)]:
            picks[name] = min(some, key=lambda c: c.total(house))
    return picks


def _schools(faces: Values) -> dict[str, Callable[[PoseCost], bool]]:
    """How the largest flat face may lie: tilted much or little, straight up, on its edge."""
    if len(faces) == 0:
        return {}
    face = faces[0]

    def lean_deg(c: PoseCost) -> float:
        """Of the face from lying flat under the part, 0 to 180."""
        return float(np.degrees(np.arccos(np.clip(-(c.up @ face), -1.0, 1.0))))

    def between(low: float, high: float) -> Callable[[PoseCost], bool]:
        return lambda c: low <= lean_deg(c) <= high

    schools = {name: between(*bounds) for name, bounds in LEANS_DEG.items()}
    schools["largest face up"] = lambda c: lean_deg(c) >= 180.0 - UPRIGHT_DEG
    schools["largest face upright"] = lambda c: abs(lean_deg(c) - 90.0) <= UPRIGHT_DEG
    return schools


def _ranked(costs: Iterable[PoseCost], house: HouseRules) -> tuple[PoseCost, ...]:
    return tuple(sorted(costs, key=lambda c: (c.total(house), *np.round(c.up, 6))))


def _distinct(costs: Iterable[PoseCost]) -> list[PoseCost]:
    """Each pose once."""
    return list({c.pose: c for c in costs}.values())


def _some(count: int, most: int) -> NDArray[np.int64]:
    """The first third of so many, and of the rest an even choice."""
    first = most // 3
    rest = np.linspace(first, count - 1, max(1, most - first)).astype(np.int64)
    return np.unique(np.concatenate((np.arange(min(first, count)), np.minimum(rest, count - 1))))


def _around(up: Values, degrees: float) -> list[Values]:
    """Ways up about so far from one, all round it."""
    across, over, _ = frame_along(up)
    c, s = np.cos(np.radians(degrees)), np.sin(np.radians(degrees))
    turns = 2 * np.pi * np.arange(ROUND) / ROUND
    return [c * up + s * (np.cos(t) * across + np.sin(t) * over) for t in turns]


def hull_corners(mesh: Mesh) -> Values:
    """Corners of the hull of a mesh, (n, 3); all its points where it has none."""
    points = mesh.points[mesh.used]
    try:
        return points[ConvexHull(points).vertices]
    except QhullError:
        return points
