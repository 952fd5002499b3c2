"""How thick walls and how wide gaps are, measured by rays from the surface."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from wideberth.core.model.health import NOTE, SERIOUS, Flaw
from wideberth.core.model.mesh import Mesh
from wideberth.core.model.surface import Closest, spread_over

SAMPLES = 30_000
START_SHARE = 1e-7
"""A ray skips this share of the part's size, so that it does not meet the face it starts on."""
WORTH_A_WORD = 0.002
"""Share of the surface that must be thin before it is worth a word: knife edges of a clean model stay under it."""


@dataclass(frozen=True, eq=False)
class Thickness:
    """Wall and gap at points of a surface.

    Attributes
    ----------
    points : (n, 3). wall_mm : (n,) straight through the material. gap_mm : (n,) straight out to the next surface, infinite in
    the open. area_mm2 : surface that each point stands for.
    """

    points: NDArray[np.float64]
    wall_mm: NDArray[np.float64]
    gap_mm: NDArray[np.float64]
    area_mm2: float

    @cached_property
    def thinnest_mm(self) -> float:
        """Wall that only a hundredth of the surface is thinner than: single knife edges aside."""
        return float(np.quantile(self.wall_mm, 0.01))


def measure_thickness(mesh: Mesh, samples: int = SAMPLES) -> Thickness:
    """Thickness at points spread over a surface, by rays along the inward normal; gaps by rays along the outward one."""
    area = float(mesh.face_area_mm2.sum())
    spacing = float(np.sqrt(area / samples))
    face, points = spread_over(mesh, spacing)
    normal = mesh.normals[face]
    whole = np.linalg.norm(normal, axis=1) > 0.5
    points, normal = points[whole], normal[whole]
    rays, least = Closest(mesh), _least(mesh)
    return Thickness(points, rays.first_hit(points, -normal, least), rays.first_hit(points, normal, least), spacing**2)


def _least(mesh: Mesh) -> float:
    return START_SHARE * float(np.linalg.norm(mesh.extents_mm)) + 1e-9


def wall_at(mesh: Mesh, points: NDArray[np.float64], normals: NDArray[np.float64]) -> NDArray[np.float64]:
    """Wall [mm] under given points of a surface with their outward normals, (n,); infinite where the mesh is open."""
    return Closest(mesh).first_hit(points, -normals, _least(mesh))


def wall_seen_from(light: Mesh, surface: Closest) -> NDArray[np.float64]:
    """Wall [mm] under each point of a stand-in, (points,), through the true surface; infinite where that is open.

    The stand-in's points lie a little off the surface: rays start outside and count from the first surface that they meet.
    """
    normals = light.point_normals
    lift = 0.02 * float(np.sqrt(light.face_area_mm2.mean()))
    first = surface.first_hit(light.points + lift * normals, -normals, 0.0)
    first = np.where(np.isfinite(first), np.minimum(first, 2 * lift), lift) + 1e-6
    return surface.first_hit(light.points + (lift - first)[:, None] * normals, -normals, 0.0)


@dataclass(frozen=True)
class Detail:
    """What a bench can still print.

    pixel_mm : the coarser side of a pixel. thinnest_wall_mm : what the resin holds by itself. smallest_mm : the smallest feature
    that an exposure test showed legible, None untested. growth_mm : how far an outline grows outward.
    """

    pixel_mm: float
    thinnest_wall_mm: float
    smallest_mm: float | None = None
    growth_mm: float = 0.0

    @property
    def least_wall(self) -> tuple[float, str]:
        """The thinnest wall [mm] to trust, and what decides it."""
        bounds = [(2 * self.pixel_mm, "two pixels"), (self.thinnest_wall_mm, "the resin holds")]
        if self.smallest_mm is not None:
            bounds.append((self.smallest_mm - 2 * self.growth_mm, "the smallest feature of your test"))
        return max(bounds)

    @property
    def least_gap(self) -> tuple[float, str]:
        """The narrowest gap [mm] that stays open, and what decides it."""
        bounds = [(self.pixel_mm + 2 * max(0.0, self.growth_mm), "one pixel" if self.growth_mm <= 0 else "pixel and growth")]
        if self.smallest_mm is not None:
            bounds.append((self.smallest_mm, "the smallest feature of your test"))
        return max(bounds)


def wall_flaws(thickness: Thickness, detail: Detail) -> list[Flaw]:
    """What is too thin for the light or the resin.

    Parameters
    ----------
    detail : what can still be printed.
    """
    pixel_mm = detail.pixel_mm
    total = max(1, len(thickness.points))
    flaws = []
    vanishing = thickness.wall_mm < pixel_mm
    if vanishing.mean() > WORTH_A_WORD:
        flaws.append(
            _flaw(
                thickness,
                vanishing,
                thickness.wall_mm,
                "under_pixel",
                SERIOUS,
                f"{vanishing.sum() / total:.1%} of "
                f"the surface is on walls under one pixel ({pixel_mm:.3f} mm): they come out patchy or not at all.",
            )
        )
    limit, why = detail.least_wall
    thin = (thickness.wall_mm < limit) & ~vanishing
    if thin.mean() > WORTH_A_WORD:
        least = float(thickness.wall_mm[thin].min())
        area = _area_text(float(thin.sum()) * thickness.area_mm2)
        flaws.append(
            _flaw(
                thickness,
                thin,
                thickness.wall_mm,
                "thin_walls",
                NOTE,
                f"{area} of surface are on walls thinner than {limit:.2f} mm ({why}), down to {least:.2f} mm.",
            )
        )
    narrowest, what = detail.least_gap
    closing = thickness.gap_mm < narrowest
    if closing.mean() > WORTH_A_WORD:
        flaws.append(
            _flaw(
                thickness,
                closing,
                thickness.gap_mm,
                "fine_gaps",
                NOTE,
                f"{closing.sum() / total:.1%} of the surface faces a gap under {what} ({narrowest:.3f} mm): it closes up.",
            )
        )
    return flaws


def _area_text(mm2: float) -> str:
    """An area as a person writes it."""
    return f"{mm2:,.0f} mm²" if mm2 >= 10 else f"{mm2:.2g} mm²"


def _flaw(
    thickness: Thickness, where: NDArray[np.bool_], by: NDArray[np.float64], kind: str, severity: str, message: str
) -> Flaw:
    order = np.flatnonzero(where)[np.argsort(by[where], kind="stable")]
    some = order[np.linspace(0, len(order) - 1, min(len(order), 24)).astype(int)]
    return Flaw(kind, severity, int(where.sum()), message, thickness.points[some])
