"""The plate: where each part stands."""

from wideberth.core.plate.pack import Goal, Item, Place, pack

__all__ = ["Goal", "Item", "Place", "pack"]
