"""The same part gets the same supports, however its triangles are listed, cut or moved in the file."""

import pytest

from reference.same import assert_same_supports
from wideberth.core.bench import Bench


@pytest.mark.prove
def test_shuffling_subdividing_and_moving_change_little(bench: Bench) -> None:
    assert_same_supports(bench, "torus")
