"""What printers, wash and cure stations and their sensors are spoken to with."""

from wideberth.core.devices.link import LOOPBACK, Link
from wideberth.core.devices.messages import (
    LONGEST_LINE,
    Asked,
    Device,
    Do,
    Hello,
    LayerDone,
    Load,
    Loaded,
    LookedAt,
    Lost,
    Now,
    Refused,
    RunTimer,
    Told,
    asked_in,
    line_of,
    told_in,
)
from wideberth.core.devices.printer import Printer
from wideberth.core.devices.printing import package_of
from wideberth.core.devices.run import Heard, Run, looked_at
from wideberth.core.devices.station import WashAndCure

__all__ = [
    "LONGEST_LINE",
    "LOOPBACK",
    "Asked",
    "Device",
    "Do",
    "Heard",
    "Hello",
    "LayerDone",
    "Link",
    "Load",
    "Loaded",
    "LookedAt",
    "Lost",
    "Now",
    "Printer",
    "Refused",
    "Run",
    "RunTimer",
    "Told",
    "WashAndCure",
    "asked_in",
    "line_of",
    "looked_at",
    "package_of",
    "told_in",
]
