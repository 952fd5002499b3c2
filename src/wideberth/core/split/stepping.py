"""Steps in a cut: where running on at another height hides more of the seam, or keeps it off a face that is to stay clean."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model import Mesh
from wideberth.core.split.creases import Creases, points_along
from wideberth.core.split.cut import Cut, Step
from wideberth.core.split.seam import IN_CREASE_TIMES, Seam, Slicer

Values = NDArray[np.float64]
WAYS, PLACES = 12, 15
"""Directions that a step leads in, and lines square to each, that are tried."""
LEAST_RISE_MM, MOST_RISE_MM, MOST_RISE_SHARE = 1.5, 40.0, 0.2
"""A step rises by so much, and by no more than this share of the whole."""
EVEN_LEVELS = 17
SAMPLES_MM, NEAR_MM = 0.8, 4.0
"""Between points of a seam; to either side of the best line, within which lines are tried again."""
TREAD_SHARE = 0.15
"""Of the seam, that a step leaves at least on either tread."""
LOOKED_AT = 6
"""Steps that are looked at more closely."""
WORTH = 0.75
"""A step is worth its riser where the seam then takes so much of the finishing, or less."""
LEAST_BARRED_MM = 0.5


def seam_of(mesh: Mesh, cut: Cut) -> Seam:
    """The seam of a cut, with those of both treads and of the riser where it steps. The section is that of the treads."""
    base = Slicer(mesh, np.array(cut.normal)).at(cut.offset_mm)
    step = cut.step
    if step is None:
        return base
    normal, way = np.array(cut.normal), cut.frame[:2].T @ step.way
    low, high = step.at_mm - step.half_mm, step.at_mm + step.half_mm
    upper = Slicer(mesh, normal).at(cut.offset_mm + step.rise_mm)
    lean = np.array([-step.rise_mm, 2 * step.half_mm])
    lean /= np.linalg.norm(lean)
    across = lean[0] * way + lean[1] * normal
    riser = Slicer(mesh, across).at(float(lean @ (step.at_mm, cut.offset_mm + 0.5 * step.rise_mm)))
    levels = sorted((cut.offset_mm, cut.offset_mm + step.rise_mm))
    parts = [
        _kept(base, -way, -low, cut.normal),
        _kept(upper, way, high, cut.normal),
        _kept(_kept(riser, normal, levels[0], across), -normal, -levels[1], across),
    ]
    return Seam(
        np.concatenate([p.segments_mm for p in parts]),
        np.concatenate([p.faces for p in parts]),
        parts[0].area_mm2 + parts[1].area_mm2,
        sum(p.length_mm for p in parts),
    )


def _kept(seam: Seam, way: Values, from_mm: float, normal: Values | tuple[float, float, float]) -> Seam:
    """What of a plane's seam lies farther along a way in its plane than so much, and how much of its section."""
    along = seam.segments_mm @ way - from_mm  # (n, 2)
    on = along.max(axis=1) > 0
    ends, along = seam.segments_mm[on], along[on]
    share = np.divide(along[:, 0], along[:, 0] - along[:, 1], out=np.zeros(len(along)), where=along[:, 0] != along[:, 1])
    crossing = ends[:, 0] + np.clip(share, 0.0, 1.0)[:, None] * (ends[:, 1] - ends[:, 0])
    cut = np.where(along[:, :, None] < 0, crossing[:, None], ends)
    aside = cut @ np.cross(np.asarray(normal), way)
    area = float((0.5 * (np.maximum(along[:, 0], 0.0) + np.maximum(along[:, 1], 0.0)) * (aside[:, 1] - aside[:, 0])).sum())
    return Seam(cut, seam.faces[on], abs(area), float(np.linalg.norm(cut[:, 1] - cut[:, 0], axis=1).sum()))


@dataclass(frozen=True, eq=False)
class _Weighed:
    """A seam by points all along it. finish : what each takes. barred : of each, on faces that may carry no mark [mm]."""

    points: Values
    finish: Values
    barred: Values

    @property
    def whole(self) -> Values:
        return np.array([self.finish.sum(), self.barred.sum()])

    def beyond(self, way: Values, places: Values) -> Values:
        """Finishing and barred length farther along a way than each of some places, (2, places)."""
        along = self.points @ way
        order = np.argsort(along)
        first = np.searchsorted(along[order], places)
        return np.array([np.append(np.cumsum(v[order][::-1])[::-1], 0.0)[first] for v in (self.finish, self.barred)])


@dataclass(frozen=True, eq=False)
class _Found:
    """A step that was tried: what its cut takes, on barred faces first, and where it is."""

    barred: float
    finish: float
    step: Step

    @property
    def rank(self) -> tuple[float, float]:
        return round(self.barred, 3), self.finish

    def worth(self, finish: float, barred: float) -> bool:
        """Whether it is better by enough than a plane that takes so much."""
        spares = barred - self.barred > LEAST_BARRED_MM
        return spares or (self.barred <= barred + 1e-9 and self.finish <= WORTH * finish)


@dataclass(frozen=True, eq=False)
class _Stepping:
    """A plane cut that may step, on a mesh. times, barred : (faces,)."""

    mesh: Mesh
    cut: Cut
    times: Values
    barred: NDArray[np.bool_]
    folds: Creases

    def weighed(self, seam: Seam) -> _Weighed:
        """A seam by points that are near enough to each other."""
        own, points = points_along(seam.segments_mm, SAMPLES_MM)
        each, face = (seam.each_mm / np.bincount(own, minlength=len(seam.faces)))[own], seam.faces[own]
        finish = each * self.times[face] * np.where(self.folds.hides(points), IN_CREASE_TIMES, 1.0)
        return _Weighed(points, finish, np.where(self.barred[face], each, 0.0))

    def exactly(self, step: Step) -> _Found:
        """A step as it will be, its riser leaning."""
        finish, barred = self.weighed(seam_of(self.mesh, replace(self.cut, step=step))).whole
        return _Found(float(barred), float(finish), step)

    def best(self, base: _Weighed, others: dict[float, _Weighed], turn_deg: float, places: Values) -> _Found | None:
        """The best of steps that lead in one direction, to some levels, at some places; None where none meets the part."""
        normal, offset = np.array(self.cut.normal), self.cut.offset_mm
        way = self.cut.frame[:2].T @ Step(turn_deg, 0.0, 1.0).way
        risers = [self.weighed(seam) for seam in map(Slicer(self.mesh, way).at, places.tolist())]
        kept = base.whole[:, None] - base.beyond(way, places)
        best: _Found | None = None
        for level, other in others.items():
            bounds = np.array(sorted((offset, level)))
            up = -np.diff([riser.beyond(normal, bounds) for riser in risers])[..., 0].T
            finish, closed = kept + other.beyond(way, places) + up
            there = np.flatnonzero((other.points @ way).max(initial=-np.inf) > places)
            if len(there):
                n = there[np.lexsort((finish[there], np.round(closed[there], 3)))[0]]
                found = _Found(float(closed[n]), float(finish[n]), Step(turn_deg, float(places[n]), level - offset))
                best = found if best is None or found.rank < best.rank else best
        return best


def stepped(mesh: Mesh, cut: Cut, times: Values, barred: NDArray[np.bool_], folds: Creases) -> Cut:
    """A plane cut, with the step that hides most of its seam; as it was where none is worth it.

    Parameters
    ----------
    mesh : that is cut, or a stand-in. times, barred : (faces,) what a mark takes on each, and which may carry none.

    Notes
    -----
    Steps are tried in so many directions, to levels in folds and evenly up and down; then lines near the best one's.
    """
    of, normal = _Stepping(mesh, cut, times, barred, folds), np.array(cut.normal)
    slicer = Slicer(mesh, normal)
    low, high = slicer.range_mm
    reach = min(MOST_RISE_MM, MOST_RISE_SHARE * (high - low))
    levels = cut.offset_mm + np.concatenate((reach * np.linspace(-1.0, 1.0, EVEN_LEVELS), folds.offsets(normal) - cut.offset_mm))
    rises = np.abs(levels - cut.offset_mm)
    levels = levels[(rises >= LEAST_RISE_MM) & (rises <= reach + 1e-9) & (levels > low) & (levels < high)]
    base = of.weighed(slicer.at(cut.offset_mm))
    others = {level: of.weighed(slicer.at(level)) for level in levels.tolist()}
    found: list[_Found | None] = []
    if others and len(base.points):
        for turn in (360.0 * np.arange(WAYS) / WAYS).tolist():
            along = np.sort(base.points @ (cut.frame[:2].T @ Step(turn, 0.0, 1.0).way))
            places = np.quantile(along, np.linspace(TREAD_SHARE, 1 - TREAD_SHARE, PLACES))
            found.append(of.best(base, others, turn, np.unique(places)))
    first = sorted((f for f in found if f is not None), key=lambda f: f.rank)[:LOOKED_AT]
    near = np.linspace(-NEAR_MM, NEAR_MM, PLACES)
    for one in first:
        level = cut.offset_mm + one.step.rise_mm
        found.append(of.best(base, {level: others[level]}, one.step.turn_deg, one.step.at_mm + near))
    nearer = sorted((f for f in found if f is not None), key=lambda f: f.rank)[:LOOKED_AT]
    exact = [of.exactly(f.step) for f in nearer]  # risers lean, and were tried upright
    best = min(exact, key=lambda f: f.rank, default=None)
    finish, closed = base.whole
    if best is None or not best.worth(float(finish), float(closed)):
        return cut
    return replace(cut, step=best.step)


def on_its_broader_tread(mesh: Mesh, cut: Cut) -> Cut:
    """The same stepped cut, its plane that of the broader tread: keys stand there."""
    step = cut.step
    if step is None:
        return cut
    normal, way = np.array(cut.normal), cut.frame[:2].T @ step.way
    here = _kept(Slicer(mesh, normal).at(cut.offset_mm), -way, -step.at_mm, cut.normal).area_mm2
    there = _kept(Slicer(mesh, normal).at(cut.offset_mm + step.rise_mm), way, step.at_mm, cut.normal).area_mm2
    if here >= there:
        return cut
    return replace(
        cut, offset_mm=cut.offset_mm + step.rise_mm, step=Step((step.turn_deg + 180) % 360, -step.at_mm, -step.rise_mm)
    )
