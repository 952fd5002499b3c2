"""Names that people give: what may stand in one, and what it is as the name of a file."""

from __future__ import annotations

import unicodedata

MOST = 80
"""Characters of a name; longer ones fit in no list."""
UNNAMED = "Unnamed"
UNSEEN = ("Cc", "Cs", "Co", "Cn", "Cf")
"""Of Unicode's kinds of characters."""
NOT_IN_FILES = '/\\:*?"<>|'


def cleaned(name: str, instead: str = UNNAMED) -> str:
    """A name on one line without what cannot be seen or stored (control and private characters, halves of surrogates), and
    `instead` where nothing is left of it.

    Examples
    --------
    >>> cleaned("Gull\\x00 on a\\n post ")
    'Gull on a post'
    """
    kept = (c for c in name if c.isspace() or unicodedata.category(c) not in UNSEEN)
    words = " ".join("".join(kept).split())
    return words[:MOST].rstrip() or instead


def shown(text: str) -> str:
    """A short text as `cleaned` makes it; nothing stays nothing."""
    return cleaned(text, instead="")


def file_name(name: str) -> str:
    """A name as that of a file, without its ending: nothing in it is a path."""
    plain = "".join("-" if c in NOT_IN_FILES else c for c in cleaned(name))
    return plain.strip(". ") or UNNAMED
