"""Why prints fail: a tree of questions one can answer at the plate, and which finding would have warned of each cause."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from wideberth.core.verdict import Code


@dataclass(frozen=True)
class Cause:
    """A cause, with what points to it, and the codes of findings that warn of it."""

    key: str
    question: str
    name: str
    signs: str
    warned_by: tuple[str, ...] = ()


CAUSES_OF_FAILURE: tuple[Cause, ...] = (
    Cause("tips", "What let go?", "tips let go", "posts stand, their tips bare; the part lies on the film",
          (Code.TIP_MARGIN, Code.TIP_MISSES, Code.UNSTEADY, Code.NOTHING_HOLDS)),
    Cause("island", "What let go?", "an island had nothing to hang on", "a detail is missing from the layer where it began",
          (Code.ISLAND, Code.ISLAND_INSIDE)),
    Cause("plate", "What let go?", "all came off the plate", "the plate is bare, base and all lie on the film",
          (Code.PLATE_MARGIN, Code.NO_FIRST_LAYERS)),
    Cause("neck", "What let go?", "the part tore at a neck", "the part is broken across, its tips hold", (Code.NECK,)),
    Cause("post", "What let go?", "a post buckled or broke", "posts are bent or broken below their tips", (Code.POST_BUCKLES,)),
    Cause("suction", "What let go?", "suction of a cup", "a bowl or a shell lies on the film, or is cracked",
          (Code.CUP_SEALED, Code.CUP_VENTED, Code.CUP_OF_SUPPORTS)),
    Cause("layers", "Between the layers?", "layers did not bond", "it is split along layers",
          (Code.UNDER_BONDED, Code.SETTLES_SLOWLY)),
    Cause("cold", "What was it printed in?", "a cold vat", "the room or the vat was colder than set", (Code.TOO_COLD,)),
    Cause("film", "What was it printed on?", "a worn or torn film", "the film is dull, scratched, or leaks", ()),
    Cause("screen", "What was it lit by?", "a dark patch of the screen", "always missing at the same place of the plate", ()),
    Cause("resin", "What was it printed in?", "unstirred, old or wrong resin", "soft or streaky layers", ()),
    Cause("level", "What was it printed in?", "the vat ran dry or leaked", "layers are missing from one height on", ()),
    Cause("power", "What happened?", "a power cut, or the printer stopped", "it stopped in the middle", ()),
    Cause("file", "What happened?", "a damaged file", "layers are garbled", ()),
    Cause("off", "What happened?", "broken while it was taken off", "it was whole on the plate",
          (Code.HARD_TO_SCRAPE, Code.SHEET_BREAKS)),
    Cause("unknown", "What happened?", "not known", "none of these", ()),
)  # fmt: skip
BY_KEY = {cause.key: cause for cause in CAUSES_OF_FAILURE}


def had_warned(cause: str, codes: Iterable[str]) -> bool | None:
    """Whether any finding of a print's prediction, by its codes, had warned of a cause; None where no finding could.

    Raises
    ------
    KeyError : for what is no cause.
    """
    by = BY_KEY[cause].warned_by
    return any(code in by for code in codes) if by else None
