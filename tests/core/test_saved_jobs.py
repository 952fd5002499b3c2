"""Jobs saved by former versions of the program open with the verdict that they had then.

`tests/saved/v1` holds the demo job and five more as version 1 of the recipe saved them, and what that program predicted of each:
a cup with a drop-shaped and a tapered hole; a linked kit with copies, a twin, stretched and mirrored, on a bench of its own; a
block in two pieces with a thicker place, a solid bottom and struts; a dome open below with a gyroid; a mended table whose posts
stand on itself, with twigs, stout posts and tips that a drain hole takes away.
"""

from __future__ import annotations

import pytest

from reference.further import further
from reference.saved import SAID, assert_opens_as_it_was


@pytest.mark.parametrize("name", ["cup", *further(sorted(SAID.keys() - {"cup", "demo"}))])  # the demo is among the proofs
def test_a_job_of_version_1_opens_with_the_verdict_that_it_had(name: str) -> None:
    assert_opens_as_it_was(name)
