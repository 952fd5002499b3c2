"""Simulated outside devices that ship with the program: a printer with its sensors, a wash and cure station."""

from wideberth.demo.simulated.nature import MISHAPS, Hidden, Mishap, Play, Truth, hidden_of, mishap_of
from wideberth.demo.simulated.nature_file import nature_beside, read_nature, write_nature
from wideberth.demo.simulated.serving import FASTEST, SLOWEST
from wideberth.demo.simulated.starting import Started, mishap_in, simulated_printer, simulated_station

__all__ = [
    "FASTEST",
    "MISHAPS",
    "SLOWEST",
    "Hidden",
    "Mishap",
    "Play",
    "Started",
    "Truth",
    "hidden_of",
    "mishap_in",
    "mishap_of",
    "nature_beside",
    "read_nature",
    "simulated_printer",
    "simulated_station",
    "write_nature",
]
