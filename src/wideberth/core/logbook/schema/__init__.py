"""The tables of a logbook, and how an older one is brought up to them."""

from wideberth.core.logbook.schema.tables import BENCHES, BLOBS, EXERCISES, FITS, HEAD, PARTS, PRINTS, SAMPLES, SERVICES
from wideberth.core.logbook.schema.upgrade import refuse_strangers, upgrade, version_of

__all__ = [
    "BENCHES",
    "BLOBS",
    "EXERCISES",
    "FITS",
    "HEAD",
    "PARTS",
    "PRINTS",
    "SAMPLES",
    "SERVICES",
    "refuse_strangers",
    "upgrade",
    "version_of",
]
