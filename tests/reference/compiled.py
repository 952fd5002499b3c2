"""Loops that a test had to compile: for another kind of values than `compile_all` goes through them with."""

from __future__ import annotations

import sys

from numba.core.dispatcher import Dispatcher

from wideberth.core.predict import is_compiled

BEFOREHAND = is_compiled()
"""Whether all of them were when the tests began; after a change to the program, run alone, they are not."""


class CompiledAnew:
    """What was compiled since the last look, in this process."""

    def __init__(self) -> None:
        self._known = self._kinds()

    def look(self) -> list[str]:
        """Module, name and kinds of values of each; none where nothing was compiled beforehand."""
        now = self._kinds()
        new, self._known = sorted(now - self._known), now
        return new if BEFOREHAND else []

    @staticmethod
    def _kinds() -> set[str]:
        loops = {
            f"{module}.{name}": loop
            for module, of in list(sys.modules.items())
            if module.startswith("wideberth.") and "_kernels" in module
            for name, loop in list(vars(of).items())
            if isinstance(loop, Dispatcher)
        }
        return {f"{name}{kinds}" for name, loop in loops.items() for kinds in loop.stats.cache_misses}
