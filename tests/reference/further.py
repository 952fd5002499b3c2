"""Cases of a law that only `make prove` looks at: `make test` looks at some of each."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import pytest


def further(cases: Iterable[Any], of_several: bool = False) -> list[Any]:
    """More cases for `pytest.mark.parametrize`. of_several : each is a tuple of values for several names."""
    return [pytest.param(*(case if of_several else (case,)), marks=pytest.mark.prove) for case in cases]
