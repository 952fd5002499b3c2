"""Reading, health and repair: times and memory at three sizes, and a table of broken meshes. Run with `make bench`."""

from __future__ import annotations

import resource
import struct
import time
from functools import partial
from pathlib import Path

import numpy as np
import pytest
import pyvista

from reference.broken import ALL, Broken
from wideberth.core.job import advised_mends, taken_in
from wideberth.core.layers import rebuilt
from wideberth.core.model import Mesh, examine, mended, read_model
from wideberth.core.predict import Stages

SIZES = {"50 k": (224, 112), "500 k": (707, 353), "2 M": (1414, 707)}


def bumpy_stl(path: Path, around: int, up: int) -> None:
    """A bumpy ball as binary STL of about 2 · around · up triangles."""
    lat, lon = np.linspace(0, np.pi, up + 2)[1:-1], np.linspace(0, 2 * np.pi, around, endpoint=False)
    a, b = np.meshgrid(lat, lon, indexing="ij")
    r = 30 + 1.5 * np.sin(9 * b) * np.sin(7 * a) + 0.4 * np.sin(60 * a) * np.cos(50 * b)
    points = np.stack([r * np.sin(a) * np.cos(b), r * np.sin(a) * np.sin(b), r * np.cos(a)], -1).reshape(-1, 3)
    i, j = np.arange(up - 1)[:, None] * around, np.arange(around)[None, :]
    k = (j + 1) % around
    corner = [i + j, i + k, i + around + j, i + around + k]
    faces = [np.stack([corner[0], corner[2], corner[1]], -1), np.stack([corner[1], corner[2], corner[3]], -1)]
    j = np.arange(around)
    k = (j + 1) % around
    top, bottom, last = len(points), len(points) + 1, (up - 1) * around
    points = np.vstack([points, [[0, 0, 30], [0, 0, -30]]])
    caps = [np.stack([np.full_like(j, top), j, k], -1), np.stack([np.full_like(j, bottom), last + k, last + j], -1)]
    every = np.concatenate([f.reshape(-1, 3) for f in (*faces, *caps)])
    records = np.zeros(len(every), np.dtype([("n", "<f4", 3), ("v", "<f4", (3, 3)), ("a", "<u2")]))
    records["v"] = points[every]
    path.write_bytes(b"made".ljust(80) + struct.pack("<I", len(every)) + records.tobytes())


def timed(act):  # type: ignore[no-untyped-def]
    began = time.perf_counter()
    result = act()
    return result, time.perf_counter() - began


def test_read_examine_and_mend_at_three_sizes(tmp_path: Path) -> None:
    bumpy_stl(tmp_path / "warm.stl", 60, 30)
    warm = read_model(tmp_path / "warm.stl").mesh
    examine(warm)
    mended(Mesh(warm.points, warm.faces[40:]), advised_mends(examine(Mesh(warm.points, warm.faces[40:])))[-1])
    rebuilt(warm, 1.0)
    Stages().thickness(taken_in(read_model(tmp_path / "warm.stl")))
    heads = ("size", "triangles", "read s", "health s", "walls s", "repair s", "rebuild s", "peak GB")
    print("\n" + " ".join(f"{head:>10}" for head in heads))
    for name, (around, up) in SIZES.items():
        bumpy_stl(tmp_path / "ball.stl", around, up)
        source, reading = timed(partial(read_model, tmp_path / "ball.stl"))
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
        health, looking = timed(partial(examine, source.mesh))
        _, walls = timed(partial(Stages().thickness, taken_in(source)))
        torn = Mesh(source.mesh.points, source.mesh.faces[source.mesh.points[source.mesh.faces[:, 0], 2] < 27])

        def mend(mesh: Mesh = torn) -> Mesh:
            for one in advised_mends(examine(mesh)):
                mesh, _ = mended(mesh, one)
            return mesh

        whole, mending = timed(mend)
        _, rebuilding = timed(partial(rebuilt, source.mesh))
        figures = (reading, looking, walls, mending, rebuilding, memory)
        print(f"{name:>10} {source.mesh.triangles:>10,} " + " ".join(f"{v:>10.2f}" for v in figures))
        assert health.solid and examine(whole).solid
        assert reading < 30


def foreign() -> dict[str, Broken]:
    """Meshes that a general-purpose package ships, sized to 60 mm."""
    found = {}
    for name in ("airplane", "ant", "nut", "sphere"):
        mesh = read_model(Path(pyvista.__file__).parent / "examples" / f"{name}.ply").mesh
        found[f"{name} (pyvista)"] = Broken(Mesh(mesh.points * (60 / mesh.extents_mm.max()), mesh.faces), frozenset())
    return found


def test_table_of_broken_meshes(capsys: pytest.CaptureFixture[str]) -> None:
    rows = ["| mesh | found | mended | volume before → after (wanted) | deviation | solid |", "|---|---|---|---|---|---|"]
    for name, broken in {**{n: make() for n, make in ALL.items()}, **foreign()}.items():
        before = examine(broken.mesh)
        mesh, done, deviation = broken.mesh, [], 0.0
        mends = advised_mends(before)
        for mend in mends:
            mesh, report = rebuilt(mesh, mend.value) if mend.kind == "rebuild" else mended(mesh, mend)
            done.append(report.kind)
            deviation = max(deviation, report.deviation_mm)
        if not examine(mesh).solid:
            mesh, report = rebuilt(broken.mesh)
            done.append(report.kind)
            deviation = max(deviation, report.deviation_mm)
        found = ", ".join(f"{f.count} {f.kind.replace('_', ' ')}" for f in before.flaws) or "nothing"
        wanted = f" ({broken.volume_mm3:,.0f})" if broken.volume_mm3 else ""
        volumes = f"{broken.mesh.volume_mm3:,.0f} → {mesh.volume_mm3:,.0f}{wanted} mm³"
        solid = "yes" if examine(mesh).solid else "no"
        rows.append(f"| {name} | {found} | {', '.join(done) or 'not needed'} | {volumes} | {deviation:.3f} mm | {solid} |")
    with capsys.disabled():
        print("\n" + "\n".join(rows))
