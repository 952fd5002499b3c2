"""`--json` without a file: what would be written there goes to standard output, and nothing else does."""

from __future__ import annotations

import contextlib
import io
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

OPTION = "--json"
TELL_ANYWAY = ("log", "shelf")
"""Commands whose option takes no file at all."""


def is_bare(words: list[str]) -> bool:
    """Whether the option stands among the words of a command without a file after it."""
    if (words[:1] and words[0] in TELL_ANYWAY) or OPTION not in words:
        return False
    return all(after.startswith("-") for after in words[words.index(OPTION) + 1 :][:1])


def told(words: list[str], run: Callable[[list[str]], None]) -> None:
    """Run a command by its words, and print what it writes as JSON in the place of what it prints."""
    at = words.index(OPTION) + 1
    with tempfile.TemporaryDirectory() as place:
        file = Path(place) / "told.json"
        try:
            with contextlib.redirect_stdout(io.StringIO()):
                run([*words[:at], str(file), *words[at:]])
        finally:
            if file.exists():
                sys.stdout.write(file.read_text(encoding="utf-8").rstrip() + "\n")
