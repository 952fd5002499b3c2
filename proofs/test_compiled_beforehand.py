"""No loop is left to be compiled while somebody waits."""

from __future__ import annotations

import ast
import os
import subprocess
import sys
from pathlib import Path

import wideberth

SOURCES = Path(wideberth.__file__).parent


def compiled_loops() -> set[tuple[str, str]]:
    """Module and name of each function that is compiled and kept."""
    found = set()
    for path in SOURCES.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            said = [ast.unparse(d) for d in node.decorator_list] if isinstance(node, ast.FunctionDef) else []
            if any("njit(cache=True" in words and "inline" not in words for words in said):
                found.add((path.stem, node.name))
    return found


def test_every_loop_is_compiled_before_the_first_window(tmp_path: Path) -> None:
    """With nothing on disk `compile_all` leaves an index of each."""
    script = "from wideberth.core.handover.compiling import compile_all; compile_all()"
    subprocess.run([sys.executable, "-c", script], env={**os.environ, "NUMBA_CACHE_DIR": str(tmp_path)}, check=True, timeout=1800)
    on_disk = {tuple(index.name.split("-")[0].split(".", 1)) for index in tmp_path.rglob("*.nbi")}
    missing = {f"{module}.{name}" for module, name in compiled_loops() - on_disk}
    assert not missing and len(on_disk) > 100
