"""Which way up: candidate poses weighed by pull on young layers, peak pull, marks, suction and hours.

A first, coarse choice over 26 upright, lying and leaning poses. The costs are all in newtons-worth, so that the
reasons can be said in the same words as the prediction.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from wideberth.core.bench import Bench, HouseRules
from wideberth.core.layers import PREVIEW_SQUEEZE, Printed, cast, empty, grid_over
from wideberth.core.loads import loads
from wideberth.core.model import Mesh, rotation_about, stand_in
from wideberth.core.orient.pose import Pose, as_turn, placing
from wideberth.core.progress import Progress, quiet

TRIANGLES = 12_000
PITCH_MM = 0.8
LAYER_MM = 0.4
SPREAD_FLOOR_MM2 = 4.0
DOES_NOT_FIT = 1e6


@dataclass(frozen=True)
class PoseCost:
    """What a pose costs: peak pull, greatest pull on a fresh down-facing area, suction, area to support,
    pull times its offset from what can be supported (in spreads of that area), height."""

    pose: Pose
    peak_n: float
    young_n: float
    suction_n: float
    support_mm2: float
    lever_n: float
    height_mm: float
    fits: bool

    def total(self, house: HouseRules) -> float:
        """One figure to rank by, in newtons: each cost by the weight that the house gives it; what does not fit comes last."""
        pulls = self.peak_n + house.young_weight * self.young_n + house.suction_weight * self.suction_n
        pulls += house.lever_weight * self.lever_n
        rest = house.support_weight_n_per_mm2 * self.support_mm2 + house.height_weight_n_per_mm * self.height_mm
        return pulls + rest + (0 if self.fits else DOES_NOT_FIT)

    @property
    def why(self) -> str:
        return (
            f"{self.young_n:.1f} N on fresh undersides, peak {self.peak_n:.1f} N, suction {self.suction_n:.1f} N, "
            f"{self.support_mm2:.0f} mm² to support, {self.lever_n:.0f} N of leverage, {self.height_mm:.0f} mm tall"
        )


def weigh_pose(mesh: Mesh, pose: Pose, bench: Bench) -> PoseCost:
    """Cost of one pose of a (light) mesh, by the same engine and laws as the verdict, on a coarse grid."""
    set_down = mesh.transformed(placing(mesh, pose))
    extents = set_down.extents_mm
    coarse = max(1.0, float(extents.max()) / 80)
    grid = grid_over(set_down.low, set_down.high, PITCH_MM * coarse, LAYER_MM * coarse)
    runs = cast(set_down.points, set_down.faces, grid)
    printed = Printed(runs, runs, runs, runs, empty(grid))
    borne = loads(printed, bench, PREVIEW_SQUEEZE)
    slope = set_down.normals[:, 2]
    down = slope < -np.cos(np.radians(bench.supports.carry_slope_deg))
    fresh = np.diff(borne.area_mm2, prepend=0.0)
    per_mm2 = np.divide(borne.peel_n, borne.area_mm2, out=np.zeros_like(borne.peel_n), where=borne.area_mm2 > 0)
    printer = bench.printer
    fits = bool(
        extents[0] <= printer.plate_x_mm and extents[1] <= printer.plate_y_mm and extents[2] + pose.gap_mm <= printer.height_mm
    )
    shade = set_down.face_area_mm2 * np.maximum(-slope, 0) * down
    return PoseCost(
        pose,
        float(borne.peel_n.max()),
        float((np.maximum(fresh, 0) * per_mm2).max()),
        float(borne.suction_n.max()),
        float(shade.sum()),
        _lever(printed, borne.component_peel_n, set_down, shade),
        float(extents[2]),
        fits,
    )


def _lever(printed: Printed, peel_n: NDArray[np.float64], mesh: Mesh, shade: NDArray[np.float64]) -> float:
    """Greatest pull of a layer times its offset from the supportable area's centre, in spreads of that area [N].

    A pile group's most loaded pile carries about (1 + this offset) times the mean. Only area at or below the layer can
    be supported when it peels.
    """
    sections = printed.part_sections
    centre = mesh.corners.mean(axis=1)
    order = np.argsort(centre[:, 2], kind="stable")
    at, w = centre[order], shade[order]
    x, y = at[:, 0], at[:, 1]
    sums = [np.cumsum(w * v) for v in (np.ones_like(x), x, y, x * x, x * y, y * y)]
    pull = np.maximum(sections.per_layer(peel_n), 1e-9)
    px = sections.per_layer(peel_n * sections.x_mm) / pull
    py = sections.per_layer(peel_n * sections.y_mm) / pull
    z = np.asarray(printed.part.grid.z_of(np.arange(sections.layers)))
    upto = np.clip(np.searchsorted(at[:, 2], z) - 1, 0, len(x) - 1)
    n, sx, sy, sxx, sxy, syy = (s[upto] for s in sums)
    n = np.maximum(n, 1e-9)
    mx, my = sx / n, sy / n
    cxx, cxy, cyy = sxx / n - mx**2 + SPREAD_FLOOR_MM2, sxy / n - mx * my, syy / n - my**2 + SPREAD_FLOOR_MM2
    dx, dy = px - mx, py - my
    offset2 = (cyy * dx**2 - 2 * cxy * dx * dy + cxx * dy**2) / np.maximum(cxx * cyy - cxy**2, 1e-9)
    reached = sums[0][upto] > 1.0
    return float((pull * np.sqrt(np.maximum(offset2, 0)) * reached).max())


def candidate_turns(tilt_deg: float) -> list[NDArray[np.float64]]:
    """The six faces down, and each of them leaning by `tilt_deg` about x and about both axes."""
    faces = [np.eye(3)] + [rotation_about(0, a) for a in (90, 180, 270)] + [rotation_about(1, a) for a in (90, 270)]
    leans = [
        np.eye(3),
        rotation_about(0, tilt_deg),
        rotation_about(0, -tilt_deg),
        rotation_about(1, tilt_deg),
        rotation_about(1, 15) @ rotation_about(0, tilt_deg),
    ]
    return [lean @ face for face in faces for lean in leans]


def propose_poses(mesh: Mesh, bench: Bench, progress: Progress | None = None) -> tuple[tuple[PoseCost, ...], PoseCost]:
    """Candidate poses, the best first, and for comparison the part as it came."""
    progress = progress or quiet()
    light = stand_in(mesh, TRIANGLES)
    gap = bench.supports.gap_mm
    turns = candidate_turns(bench.house.tilt_deg)
    weighed = []
    for number, turn in enumerate(turns):
        progress.at(number / len(turns), "weighing poses")
        weighed.append(weigh_pose(light, Pose(as_turn(turn), gap), bench))
    return tuple(sorted(weighed, key=lambda cost: cost.total(bench.house))), weighed[0]
