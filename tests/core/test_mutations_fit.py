"""The changes that `make mutate` makes are still changes of these sources."""

import importlib.util
import sys
from pathlib import Path

import pytest

TOOLS = Path(__file__).parents[2] / "tools"


def table():
    spec = importlib.util.spec_from_file_location("mutate", TOOLS / "mutate.py")
    mutate = importlib.util.module_from_spec(spec)
    sys.modules["mutate"] = mutate
    spec.loader.exec_module(mutate)
    return mutate


MUTATE = table()


@pytest.mark.parametrize("mutation", MUTATE.MUTATIONS, ids=lambda m: m.what)
def test_each_change_of_meaning_has_its_place_and_its_tests(mutation):
    text = (MUTATE.ROOT / MUTATE.CORE / mutation.file).read_text(encoding="utf-8")
    assert text.count(mutation.old) == 1
    assert mutation.new not in ("", mutation.old)
    assert all((MUTATE.ROOT / "tests" / "core" / f"{name}.py").exists() for name in mutation.tests)
