"""From a prediction to a run: the package that a printer takes, and what the log is to know of it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory

from wideberth.core.handover import write_layers
from wideberth.core.predict import Prediction
from wideberth.core.progress import Progress, quiet

PACKAGE = "layers.zip"


@contextmanager
def package_of(seen: Prediction, progress: Progress | None = None) -> Iterator[Path]:
    """The layer package of a predicted plate, in a folder that is gone afterwards.

    Raises
    ------
    BadJob, CannotWrite, Cancelled : as `write_layers`.
    """
    with TemporaryDirectory(prefix="wide-berth-print-") as place:
        path = Path(place) / PACKAGE
        write_layers(seen, path, progress=progress or quiet())
        yield path
