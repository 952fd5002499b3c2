"""Twenty parts that fool finders of cavities: the verdict is right on each."""

import pytest

from reference.torture import PARTS
from wideberth.core.layers import SEALED, VENTED
from wideberth.core.predict import Stages, fine, predict

LARGE_MM2 = 20.0


@pytest.mark.parametrize("name", PARTS)
def test_torture(name: str) -> None:
    make, truth = PARTS[name]
    job = make()
    stages = Stages()
    found = predict(job, stages, fine(0.15))
    o, codes = found.printed.openings, {f.code for f in found.verdict.findings}
    traps = [t for t in found.printed.traps if not t.shut_by_supports and t.volume_mm3 > 5]
    wanted = truth.trapped_ml
    if wanted < 0:  # two balls of radius 12, 16 mm apart, less a wall of 2 mm: two of radius 10 and the lens that they share
        wanted = sum(c.volume_mm3 for c in stages.chambers(job.parts[0])) / 1000
        lens = 3.14159265 / 12 * (4 * 10 + 16) * (2 * 10 - 16) ** 2 / 1000
        assert wanted == pytest.approx(2 * 4.18879 - lens, rel=0.02)
    assert sum(t.volume_mm3 for t in traps) / 1000 == pytest.approx(wanted, rel=0.01, abs=0.01)
    assert len(traps) == truth.voids
    assert bool((o.area_mm2[o.state == SEALED] > LARGE_MM2).any()) == truth.sealed
    assert bool((o.area_mm2[o.state == VENTED] > LARGE_MM2).any()) == truth.vented
    assert truth.told <= codes
    assert not truth.untold & codes


def test_there_are_twenty() -> None:
    assert len(PARTS) == 20
