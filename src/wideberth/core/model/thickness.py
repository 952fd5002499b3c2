"""How thick walls and how wide gaps are, measured by rays from the surface."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numpy.typing import NDArray

from wideberth.core.model.health import NOTE, SERIOUS, Flaw
from wideberth.core.model.mesh import Mesh
from wideberth.core.model.surface import spread_over

SAMPLES = 30_000
START_SHARE = 2e-6
FAR = 1e30
WORTH_A_WORD = 0.002
"""Share of the surface that must be thin before it is worth a word: knife edges of a clean model stay under it."""


class Rays:
    """A mesh to shoot rays at. Coordinates are taken about its middle, since rays are traced in single precision."""

    def __init__(self, mesh: Mesh) -> None:
        self.middle = 0.5 * (mesh.low + mesh.high)
        self.start = START_SHARE * float(np.linalg.norm(mesh.extents_mm)) + 1e-6
        self._scene = EmbreeScene()
        self._held = TriangleMesh(
            self._scene, (mesh.points - self.middle).astype(np.float32), mesh.faces.astype(np.int32)
        )

    def first_hit(self, points: NDArray[np.float64], along: NDArray[np.float64]) -> NDArray[np.float64]:
        """Distance [mm] from points (n, 3) along unit directions (n, 3) to the first surface; infinite where there is none."""
        origin = (points - self.middle + along * self.start).astype(np.float32)
        far = self._scene.run(origin, along.astype(np.float32), query="DISTANCE")
        far = np.asarray(far, np.float64)
        return np.where(far < FAR, far + self.start, np.inf)


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
    rays = Rays(mesh)
    return Thickness(points, rays.first_hit(points, -normal), rays.first_hit(points, normal), spacing**2)


def wall_at(mesh: Mesh, points: NDArray[np.float64], normals: NDArray[np.float64]) -> NDArray[np.float64]:
    """Wall [mm] under given points of a surface with their outward normals, (n,); infinite where the mesh is open."""
    return Rays(mesh).first_hit(points, -normals)


def wall_flaws(found: Thickness, pixel_mm: float, thinnest_wall_mm: float) -> list[Flaw]:
    """What is too thin for the light or the resin.

    Parameters
    ----------
    pixel_mm : the coarser side of a pixel. thinnest_wall_mm : what the resin holds by itself.
    """
    total = max(1, len(found.points))
    flaws = []
    vanishing = found.wall_mm < pixel_mm
    if vanishing.mean() > WORTH_A_WORD:
        flaws.append(_flaw(found, vanishing, found.wall_mm, "under_pixel", SERIOUS, f"{vanishing.sum() / total:.1%} of the "
                           f"surface is on walls under one pixel ({pixel_mm:.3f} mm): they come out patchy or not at all.",
                           ))  # fmt: skip
    limit = max(2 * pixel_mm, thinnest_wall_mm)
    thin = (found.wall_mm < limit) & ~vanishing
    if thin.mean() > WORTH_A_WORD:
        why = "the resin holds" if thinnest_wall_mm >= 2 * pixel_mm else "two pixels"
        least = float(found.wall_mm[thin].min())
        flaws.append(_flaw(found, thin, found.wall_mm, "thin_walls", NOTE, f"{thin.sum() * found.area_mm2:.3g} mm² of surface "
                           f"are on walls thinner than {limit:.2f} mm ({why}), down to {least:.2f} mm."))  # fmt: skip
    closing = found.gap_mm < pixel_mm
    if closing.mean() > WORTH_A_WORD:
        flaws.append(_flaw(found, closing, found.gap_mm, "fine_gaps", NOTE, f"{closing.sum() / total:.1%} of the surface faces "
                           f"a gap under one pixel ({pixel_mm:.3f} mm): it closes up."))  # fmt: skip
    return flaws


def _flaw(
    found: Thickness, where: NDArray[np.bool_], by: NDArray[np.float64], kind: str, severity: str, message: str
) -> Flaw:
    order = np.flatnonzero(where)[np.argsort(by[where], kind="stable")]
    some = order[np.linspace(0, len(order) - 1, min(len(order), 24)).astype(int)]
    return Flaw(kind, severity, int(where.sum()), message, found.points[some])
