"""Which tips are nearest to spots of an underside, remembered while some of them are tried without others."""

from __future__ import annotations

from threading import Lock
from typing import NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray

from wideberth.core.layers import Touch
from wideberth.core.loads import _kernels as kernels

Values = NDArray[np.float64]
Place = tuple[float, float, float]
MOST, KNOWN = 12, 40
"""So many tips count round a spot, and so many are remembered, so that some may go."""
MOST_OF_THOSE, LOOKS_KEPT = 2, 3
"""All tips are looked for anew once half of them went. Those thinned out side by side go in different orders."""


class TipsNear:
    """Tips at some places, (tips, 3), as spots see them, (spots, 3): the nearest first, and the way to each."""

    def __init__(self, points_mm: Values, places_mm: Values, ways: int) -> None:
        self.points_mm, self.places_mm, self.ways = points_mm, places_mm, ways
        known = min(KNOWN, len(places_mm))
        near = scipy.spatial.cKDTree(places_mm).query(points_mm, k=known)[1].reshape(len(points_mm), known)
        dx, dy = np.moveaxis(places_mm[near, :2] - points_mm[:, None, :2], 2, 0)
        self._near, self._off_mm = near.astype(np.int32), np.hypot(dx, dy)
        self._sector = (np.rint(np.arctan2(dy, dx) / (2 * np.pi) * ways).astype(np.int64) % ways).astype(np.int8)

    def lower(self, away_mm: Values, radius_mm: Values, stays: NDArray[np.bool_]) -> None:
        """Write level distances [mm] to the nearest holders, tips that stay among them, over those to others.

        Parameters
        ----------
        away_mm : (spots, ways), written to. radius_mm, stays : (tips,).
        """
        short = kernels.nearer_by_tips(away_mm, self._near, self._sector, self._off_mm, radius_mm, stays, MOST)
        if self._near.shape[1] < len(self.places_mm) and short.any():  # so many went there that farther ones count
            left = TipsNear(self.points_mm[short], self.places_mm[stays], self.ways)
            rest = away_mm[short]
            left.lower(rest, radius_mm[stays], np.ones(len(left.places_mm), bool))
            away_mm[short] = rest


class _Look(NamedTuple):
    """Tips near spots, by their places."""

    column: dict[Place, int]
    near: TipsNear

    def serves(self, places: list[Place]) -> bool:
        """Whether tips at some places are most of those that are known, and all known."""
        return len(self.column) <= MOST_OF_THOSE * len(places) and all(place in self.column for place in places)


class TipsTried:
    """Tips that were looked at last round the same spots; any choice of most of them needs no other look.

    Several threads may ask.
    """

    def __init__(self, points_mm: Values, ways: int) -> None:
        self._points_mm, self._ways, self._lock = points_mm, ways, Lock()
        self._looked_at: list[_Look] = []

    def away_mm(self, walls_away_mm: Values, touches: tuple[Touch, ...]) -> Values:
        """Level distance [mm] to the nearest holder in each direction, (spots, ways): walls, so far away, and tips."""
        away = walls_away_mm.copy()
        if touches and len(away):
            near, column = self._known([(t.x_mm, t.y_mm, t.z_mm) for t in touches])
            radius, stays = np.zeros(len(near.places_mm)), np.zeros(len(near.places_mm), bool)
            np.maximum.at(radius, column, [0.5 * t.diameter_mm for t in touches])
            stays[column] = True
            near.lower(away, radius, stays)
        return away

    def _known(self, places: list[Place]) -> tuple[TipsNear, list[int]]:
        """Tips that are known, and which of them are at some places; looked for anew where one is not, or most are gone."""
        with self._lock:
            look = next((look for look in self._looked_at if look.serves(places)), None)
            if look is None:
                column = {place: n for n, place in enumerate(dict.fromkeys(places))}
                look = _Look(column, TipsNear(self._points_mm, np.array(list(column)), self._ways))
                self._looked_at = [look, *self._looked_at[: LOOKS_KEPT - 1]]
            return look.near, [look.column[place] for place in places]
