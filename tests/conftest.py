"""Solids with known answers, and the bench that all tests share."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Generator
from dataclasses import replace

import numpy as np
import pytest
import trimesh
from hypothesis import HealthCheck, settings

from reference.compiled import CompiledAnew
from wideberth.core.bench import Bench, load_bench
from wideberth.core.job import Job
from wideberth.core.layers import (
    Bore,
    Grid,
    Lent,
    Printed,
    Solid,
    Touch,
    cast,
    cropped,
    difference,
    empty,
    grid_over,
    intersection,
)
from wideberth.core.model import Mesh, Source, parse_model

compiled_anew = CompiledAnew()

settings.register_profile("same every time", derandomize=True, deadline=None, max_examples=60)
settings.register_profile("fuzz", deadline=None, max_examples=1000, suppress_health_check=list(HealthCheck))
settings.load_profile("same every time")

SWAPPED = [1, 0, 2]
ONE = "part-2"
"""Id of the first part of a job; the plate has number 1."""


@pytest.hookimpl(wrapper=True)
def pytest_runtest_call() -> Generator[None, object, object]:
    """No test passes in which a loop is compiled that was said to be: somebody would wait for half a minute."""
    result = yield
    assert not (new := compiled_anew.look()), f"compiled while somebody waits: {new}"
    return result


def as_mesh(t: trimesh.Trimesh) -> Mesh:
    return Mesh(np.asarray(t.vertices, float), np.asarray(t.faces, np.int32))


def set_down(t: trimesh.Trimesh, gap_mm: float = 0.0) -> Mesh:
    """A trimesh solid as our mesh, its box centred over the plate, its lowest point `gap_mm` above it."""
    mesh = as_mesh(t)
    centre = 0.5 * (mesh.low + mesh.high)
    return mesh.moved(np.array([-centre[0], -centre[1], gap_mm - mesh.low[2]]))


def turned(t: trimesh.Trimesh, degrees: float, axis: tuple[float, float, float]) -> trimesh.Trimesh:
    made = t.copy()
    made.apply_transform(trimesh.transformations.rotation_matrix(np.radians(degrees), axis))
    return made


def moved(t: trimesh.Trimesh, *by: float) -> trimesh.Trimesh:
    made = t.copy()
    made.apply_translation(by)
    return made


def printed_of(
    mesh: Mesh,
    pitch: float = 0.1,
    layer: float = 0.05,
    supports: Mesh | None = None,
    drill: Mesh | None = None,
    bores: tuple[Bore, ...] = (),
    touches: tuple[Touch, ...] = (),
) -> Printed:
    """What is printed of a mesh set down on the plate."""
    low, high = mesh.low, mesh.high
    if supports is not None:
        low, high = np.minimum(low, supports.low), np.maximum(high, supports.high)
    grid, across = grid_over(low, high, pitch, layer), grid_over(low[SWAPPED], high[SWAPPED], pitch, layer)
    along = _cast_and_cut(mesh, drill, supports, grid, [0, 1, 2])
    turned = _cast_and_cut(mesh, drill, supports, across, SWAPPED)
    return Printed(along.part, along.supports, along.plugs, bores, touches, across=Lent(lambda: turned))


def _cast_and_cut(mesh: Mesh, drill: Mesh | None, supports: Mesh | None, grid: Grid, axes: list[int]) -> Solid:
    whole = cast(mesh.points[:, axes], mesh.faces, grid)
    rest = empty(grid) if supports is None else cast(supports.points[:, axes], supports.faces, grid)
    if drill is None:
        return Solid(whole, rest)
    drills = cast(drill.points[:, axes], drill.faces, grid)
    return Solid(difference(whole, drills), rest, cropped(intersection(whole, drills)))


def beam(spots: list[tuple[float, float]], diameter: float = 0.8, gap: float = 4.0) -> tuple[Mesh, Printed]:
    """A slab 30 x 10 x 3 mm held above the plate by tips at given spots, each on a rod to the plate."""
    slab = moved(trimesh.creation.box((30, 10, 3)), 0, 0, gap + 1.5)
    rods = [moved(trimesh.creation.cylinder(diameter / 2, gap + 0.2, sections=32), x, y, (gap + 0.2) / 2) for x, y in spots]
    touches = tuple(
        Touch(0, f"contact-{i}", x, y, gap, diameter, 0.2, gap, diameter, x, y, gap) for i, (x, y) in enumerate(spots)
    )
    mesh = as_mesh(slab)
    return mesh, printed_of(mesh, supports=as_mesh(trimesh.util.concatenate(rods)), touches=touches)


def weightless(bench: Bench) -> Bench:
    """A bench on which solid and liquid weigh next to nothing, so that only pulls count."""
    light = replace(bench.resin, density_kg_per_m3=300.1, solid_density_kg_per_m3=300.1)
    return replace(bench, resin=light, print=replace(bench.print, resin_depth_mm=500.0))


def placed_at(job: Job, x_mm: float, y_mm: float, number: int = 0, turn_deg: float = 0.0) -> Job:
    """The job with the first print of one of its parts somewhere else on the plate."""
    placement = job.placements_of(job.parts[number].id)[0]
    return job.with_placement(replace(placement, x_mm=x_mm, y_mm=y_mm, turn_deg=turn_deg))


def as_source(mesh: Mesh, name: str = "made") -> Source:
    """A mesh as if read from a PLY file."""
    data = trimesh.Trimesh(mesh.points, mesh.faces, process=False).export(file_type="ply")
    return parse_model(name, ".ply", data)


@pytest.fixture(scope="session")
def bench() -> Bench:
    return load_bench()


@pytest.fixture(scope="session")
def sphere() -> trimesh.Trimesh:
    """Radius 15 mm, 81,920 faces: fewer spoil the sections."""
    return trimesh.creation.icosphere(6, 15.0)


def tube_with_floor(outer: float = 17, inner: float = 15, height: float = 30, floor: float = 2) -> trimesh.Trimesh:
    """A vase: a tube with its lower end shut, standing on z = 0."""
    body = moved(trimesh.creation.cylinder(outer, height, sections=256), 0, 0, height / 2)
    room = moved(trimesh.creation.cylinder(inner, height, sections=256), 0, 0, floor + height / 2)
    return trimesh.boolean.difference([body, room], engine="manifold")


def bowl(outer: float = 17, inner: float = 15) -> trimesh.Trimesh:
    """Half a hollow sphere, upturned: its rim at z = 0, its dome above."""
    shell = trimesh.boolean.difference(
        [trimesh.creation.icosphere(5, outer), trimesh.creation.icosphere(5, inner)], engine="manifold"
    )
    below = trimesh.creation.box((100, 100, 60))
    return trimesh.boolean.difference([shell, moved(below, 0, 0, -30)], engine="manifold")


def zipped(members: dict[str, bytes]) -> bytes:
    """A zip file of named members."""
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as package:
        for name, data in members.items():
            package.writestr(name, data)
    return file.getvalue()
