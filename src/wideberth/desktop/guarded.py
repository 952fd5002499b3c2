"""Overrides of Qt's methods that end in an error tell it and go on.

An error that compiled code raises (of NumPy, of a dictionary) is not yet an object while it travels; where an override of ours
lets one out into Qt, and that was itself called from Python, the library between takes it for one and the process ends at once,
with all that was not saved. So none is let out: it goes where every unexpected error goes.
"""

from __future__ import annotations

import functools
import inspect
import sys
from collections.abc import Callable, Iterator
from typing import Any

from PySide6.QtCore import QObject, QSize

INSTEAD: dict[str, Callable[[], Any]] = {"eventFilter": bool, "event": bool, "sizeHint": QSize, "minimumSizeHint": QSize}
"""What an override gives back when it could not; those of events give nothing."""
MARK = "_is_guarded"


def guard_overrides() -> None:
    """Guard all overrides of classes of ours that are known by now; those that are guarded already stay as they are."""
    for one in _subclasses(QObject):
        if one.__module__.startswith("wideberth."):
            for name, method in list(vars(one).items()):
                if inspect.isfunction(method) and (name.endswith("Event") or name in INSTEAD) and not hasattr(method, MARK):
                    setattr(one, name, _guarded(method, INSTEAD.get(name, _nothing)))


def _subclasses(of: type) -> Iterator[type]:
    for one in of.__subclasses__():
        yield one
        yield from _subclasses(one)


def _nothing() -> None:
    return None


def _guarded(method: Callable[..., Any], instead: Callable[[], Any]) -> Callable[..., Any]:
    @functools.wraps(method)
    def guarded(*given: Any) -> Any:
        try:
            return method(*given)
        except Exception as error:
            sys.excepthook(type(error), error, error.__traceback__)
            return instead()

    setattr(guarded, MARK, True)
    return guarded
