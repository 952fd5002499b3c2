"""Whether hollowing pays, with the numbers."""

from __future__ import annotations

from dataclasses import dataclass

from wideberth.core.bench import Bench
from wideberth.core.hollow.shell import Shell
from wideberth.core.model import Mesh


@dataclass(frozen=True)
class HollowAdvice:
    """What hollowing would save, and what we would do."""

    pays: bool
    saved_ml: float
    share: float
    chambers: int
    shell: Shell
    why: str


def weigh_hollow(outer: Mesh, chambers: tuple[Mesh, ...], shell: Shell, bench: Bench) -> HollowAdvice:
    """Compare solid with shell by the resin they take."""
    whole = outer.volume_mm3 / 1000
    saved = sum(c.volume_mm3 for c in chambers) / 1000
    share = saved / whole if whole > 0 else 0.0
    pays = saved >= bench.house.hollow_pays_ml
    verb = "saves" if pays else "would save only"
    why = f"a {shell.wall_mm:g} mm wall {verb} {saved:.1f} of {whole:.1f} mL ({share:.0%})"
    return HollowAdvice(pays, saved, share, len(chambers), shell, why)


def usual_shell(bench: Bench) -> Shell:
    """The shell of the house rules."""
    return Shell(bench.house.wall_mm, bench.house.smallest_chamber_ml, bench.house.passage_mm)
