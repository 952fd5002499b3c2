"""What is read of mapped files and of libraries that compile takes memory until it is let go, and comes back when it is read."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest
from numba import njit

from wideberth.core import mapped


def resident_kb() -> int:
    """How much of the code that compiles takes memory, as the system says."""
    told = Path("/proc/self/smaps").read_text(errors="replace")
    begins = "|".join(f"{begin:x}" for begin, _ in mapped.code_that_compiles())
    return sum(map(int, re.findall(rf"^0*(?:{begins})-.*\n(?:.*\n)*?Rss: +(\d+) kB", told, re.MULTILINE)))


def test_what_compiles_is_let_go_and_compiles_again_when_it_is_wanted() -> None:
    def doubled(x):  # type: ignore[no-untyped-def]
        return 2 * x

    assert njit(doubled)(21) == 42
    before = resident_kb()
    assert before > 4000
    mapped._code_known.cache_clear()
    mapped.let_go()
    after = resident_kb()
    assert after < 0.1 * before
    assert njit(doubled)(np.float32(1.5)) == 3.0  # another type: compiled anew
    assert resident_kb() > after + 2000


def test_where_the_system_does_not_tell_nothing_is_let_go(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.setattr(mapped, "MAPS", tmp_path / "none")
    assert mapped.code_that_compiles() == []
    mapped.let_go()


def test_only_code_of_what_compiles_and_stays_is_meant(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    """Not what was written to, nor other libraries, nor one that may be gone: something else may be there. Names with odd letters
    hinder nobody."""
    maps = tmp_path / "maps"
    maps.write_bytes(
        b"7f00-8000 r--p 00000000 08:01 1 /a b/\xff/libllvmlite.so\n"
        b"8000-9000 r-xp 00001000 08:01 1 /a b/\xff/libllvmlite.so\n"
        b"9000-a000 rw-p 00002000 08:01 1 /a b/\xff/libllvmlite.so\n"
        b"a000-c000 r-xp 00000000 08:01 2 /usr/lib/libLLVM-15.so.1\n"
        b"c000-d000 r-xp 00000000 08:01 3 /usr/lib/libm.so.6\n"
        b"d000-e000 r-xp 00000000 00:00 0 [vdso]\n"
    )
    monkeypatch.setattr(mapped, "MAPS", maps)
    assert mapped.code_that_compiles() == []  # neither is loaded
    kept: list[str] = []
    monkeypatch.setattr(mapped, "_kept", lambda path: kept.append(path) or "LLVM" in path)
    assert mapped.code_that_compiles() == [(0xA000, 0xC000)]
    assert sorted(kept) == ["/a b/\udcff/libllvmlite.so", "/usr/lib/libLLVM-15.so.1"]
