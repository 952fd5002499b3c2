"""Choosing among the files of a kind that can be read."""

from __future__ import annotations

from PySide6.QtWidgets import QComboBox

from wideberth.core.bench import load_named, names_of
from wideberth.core.errors import WideBerthError


def fill_shelf(box: QComboBox, kind: str, first: str = "") -> None:
    """Offer every file of a kind by its title, its name as the data; `first` stands before them with no name."""
    box.clear()
    if first:
        box.addItem(first, "")
    for name in names_of(kind):
        try:
            box.addItem(load_named(kind, name).name, name)
        except WideBerthError:
            continue  # a damaged file of the user's own: the kind's own leaf says so
