"""The same supports for a scan with thin limbs, however its triangles are listed, cut or moved."""

from reference.same import assert_same_supports
from wideberth.core.bench import load_bench


def test_an_ant_in_other_triangles() -> None:
    assert_same_supports(load_bench(), "ant")
