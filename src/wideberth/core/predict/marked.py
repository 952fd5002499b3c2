"""Which faces the tips and feet of a plate stand on, and what finishing their marks takes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import HouseRules, mark_min
from wideberth.core.loads import MARKS, UNMARKED, Finish
from wideberth.core.model import SURFACES
from wideberth.core.predict.prepared import feet_on_part
from wideberth.core.predict.solids import PrintSolids
from wideberth.core.predict.stages import Stages
from wideberth.core.progress import Progress, quiet
from wideberth.core.verdict import MarkRecord


def marks_on(
    prints: tuple[PrintSolids, ...],
    printed_mm: NDArray[np.float64],
    stages: Stages,
    house: HouseRules,
    progress: Progress | None = None,
) -> tuple[MarkRecord, ...]:
    """Every mark of the prints' supports: of all tips in the verdict's order, and of feet on the parts.

    Parameters
    ----------
    printed_mm : (tips,) diameters as printed.
    """
    records: list[MarkRecord] = []
    first = 0
    for solids, share in zip(prints, (progress or quiet()).evenly(len(prints)), strict=True):
        part, home = solids.placed.part, solids.at_home
        spots = [((t.x_mm, t.y_mm, t.z_mm), t.contact) for t in home.touches]
        sizes = list(printed_mm[first : first + len(spots)])
        first += len(spots)
        for x, y, z, _ in feet_on_part(home.touches):
            spots.append(((x, y, z), ""))
            sizes.append(min(t.diameter_mm for t in home.touches if (t.post_x_mm, t.post_y_mm, t.post_foot_mm) == (x, y, z)))
        if not spots:
            continue
        at = np.array([spot for spot, _ in spots])
        back = np.linalg.inv(home.matrix)
        faces = stages.closest(stages.cut(part)).nearest(at @ back[:3, :3].T + back[:3, 3])[1]
        finish = stages.finish(part, house, share).of(faces)
        minutes = finish.times * mark_min(np.array(sizes), house)
        for number, ((_, contact), (x, y, z)) in enumerate(zip(spots, at + solids.shift_mm, strict=True)):
            surface, marked = _words(finish, number)
            size, takes, forbidden = float(sizes[number]), float(minutes[number]), bool(finish.barred[number])
            where = float(x), float(y), float(z)
            records.append(MarkRecord(solids.number, contact, *where, size, surface, marked, takes, forbidden))
    return tuple(records)


def _words(finish: Finish, face: int) -> tuple[str, str]:
    mark = int(finish.mark[face])
    return str(SURFACES[finish.surface[face]]), "" if mark == UNMARKED else str(MARKS[mark])
