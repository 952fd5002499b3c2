"""`wide-berth window`: open the window."""

from __future__ import annotations

import gc
import os
import sys
from pathlib import Path
from typing import Annotated

import typer

from wideberth.core.errors import WideBerthError


def window(files: Annotated[list[Path] | None, typer.Argument(help="a job, or models; the demo job otherwise")] = None) -> None:
    """Open the window with a job or models, or with the demo job."""
    shown = ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")
    if sys.platform.startswith("linux") and not any(os.environ.get(name) for name in shown):
        raise WideBerthError("there is no screen to open a window on.", remedy="Use `wide-berth check` or `propose`, or Xvfb.")
    gc.disable()  # nothing that loads now can be thrown away; later the window collects, on its own thread
    from wideberth.desktop.app import run

    raise typer.Exit(run(files or []))
