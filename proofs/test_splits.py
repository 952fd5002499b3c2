"""Ten random large solids and the demo's lighthouse at three sizes: pieces that fit, joints that go together one way, nothing
lost."""

from __future__ import annotations

import time

import numpy as np
import trimesh

from conftest import ONE, as_mesh, as_source
from wideberth.core.bench import load_bench
from wideberth.core.job import Part, job_of
from wideberth.core.model import Mesh, read_model
from wideberth.core.predict import Stages
from wideberth.core.propose import propose_split
from wideberth.core.split import Aim, Cut, looked_over, space_of, stands_in
from wideberth.demo import mesh_path

SOLIDS = 10
SAME = 1e-3
WITHIN_MM = 0.02


def large(seed: int) -> Mesh:
    """A lump of a few bumps, a bent bar, or a hand of rods: 180 to 420 mm long."""
    r = np.random.default_rng(seed)
    if seed % 3 == 0:
        ball = trimesh.creation.icosphere(5, 1.0)
        p = ball.vertices
        waves = sum(r.uniform(0.04, 0.14) * np.sin(r.uniform(1, 5) * p @ r.normal(size=3) + r.uniform(0, 6)) for _ in range(5))
        made = trimesh.Trimesh(p * (1 + waves)[:, None] * r.uniform(55, 130, 3), ball.faces)
    elif seed % 3 == 1:
        bar = trimesh.creation.box((r.uniform(200, 400), r.uniform(25, 60), r.uniform(25, 60)))
        for _ in range(4):
            bar = bar.subdivide()
        p = bar.vertices.copy()
        p[:, 2] += r.uniform(20, 60) * np.sin(p[:, 0] / r.uniform(60, 120))
        made = trimesh.Trimesh(p, bar.faces)
    else:
        rods = [trimesh.creation.cylinder(r.uniform(10, 22), r.uniform(120, 260), sections=48) for _ in range(4)]
        for rod in rods:
            rod.apply_transform(trimesh.transformations.rotation_matrix(r.uniform(0, np.pi), r.normal(size=3)))
        made = trimesh.boolean.union([trimesh.creation.icosphere(3, 35), *rods], engine="manifold")
    return as_mesh(made)


def test_random_large_solids_come_in_pieces_that_fit_and_hold() -> None:
    stages, house = Stages(), load_bench().house
    lighthouse = read_model(mesh_path("lighthouse")).mesh
    solids = {f"solid {n}": large(50 + n) for n in range(SOLIDS)}
    solids |= {f"lighthouse × {s:g}": Mesh(lighthouse.points * s, lighthouse.faces) for s in (1.0, 1.7, 2.4)}
    heads = ("solid", "triangles", "pieces", "keyed joints", "wrong turns that collide", "clearance, mm", "volume kept", "s")
    print(f"\n| {' | '.join(heads)} |\n|{'---|' * len(heads)}")
    for name, mesh in solids.items():
        job = job_of(name, load_bench(), (Part("Solid", as_source(mesh)),))
        began = time.perf_counter()
        made = propose_split(job, ONE, stages, aims=(Aim.HIDDEN,), place=False)
        took = time.perf_counter() - began
        whole, pieces = stages.cut(job.parts[0]), made.job.parts
        kept = sum(stages.cut(p).volume_mm3 for p in pieces) / whole.volume_mm3
        room = space_of(job.bench.printer)
        assert all(stands_in(stages.cut(p), room, [np.array(c.normal) for c in p.cuts]) for p in pieces), name
        assert all(stages.cut(p).watertight for p in pieces), name
        assert abs(kept - 1) < SAME, (name, kept)
        cuts: dict[tuple[tuple[Cut, ...], Cut], None] = {}
        for piece in pieces:
            for n, cut in enumerate(piece.cuts):
                cuts[piece.cuts[:n], cut if cut.keep > 0 else cut.other_side] = None
        wrong = collide = keyed = 0
        least, most = np.inf, 0.0
        for before, cut in cuts:
            part = Part("Solid", job.parts[0].source, id=ONE, cuts=before)
            seen = looked_over(stages.cut(part), cut)
            assert seen.overlap_mm3 < 1e-6, name
            wrong, collide, keyed = wrong + seen.wrong_turns, collide + seen.collide, keyed + bool(cut.keys)
            if cut.keys:
                least, most = min(least, seen.clearance_mm[0]), max(most, seen.clearance_mm[1])
        turns, clear = f"{collide} of {wrong}", f"{least:.3f} to {most:.3f}"
        row = (
            name,
            f"{mesh.triangles:,}",
            str(len(pieces)),
            f"{keyed} of {len(cuts)}",
            turns,
            clear,
            f"{100 * kept:.3f} %",
            f"{took:.1f}",
        )
        print(f"| {' | '.join(row)} |")
        assert wrong == collide, name
        if keyed:
            assert abs(least - house.glued_mm) < WITHIN_MM and abs(most - house.glued_mm) < WITHIN_MM, name
