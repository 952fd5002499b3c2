"""Saving, keeping for rescue and recovering, killed at two hundred moments: nothing is lost."""

from __future__ import annotations

from pathlib import Path

import pytest
import trimesh

from conftest import as_mesh, as_source
from reference.killing import ACTS, killed_everywhere
from wideberth.core.bench import load_bench
from wideberth.core.job import Part, job_of


@pytest.mark.parametrize("act", sorted(ACTS))
def test_nothing_is_lost_at_seventy_moments_of_each_act(act: str, tmp_path: Path) -> None:
    job = job_of("Ball", load_bench(), (Part("Ball", as_source(as_mesh(trimesh.creation.icosphere(5, 12)))),))
    deaths = killed_everywhere(act, job, tmp_path, moments=55)
    print(f"\n{act}: killed {deaths} times, nothing lost")
    assert deaths > 40
