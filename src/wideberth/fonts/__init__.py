"""The typeface that ships with the program: Lato, whose figures are all of one width. Licence in OFL.txt."""

from importlib import resources
from pathlib import Path

FAMILY = "Lato"
FACES = {"regular": "Lato-Regular.ttf", "italic": "Lato-Italic.ttf", "bold": "Lato-Bold.ttf", "medium": "Lato-Medium.ttf"}


def font_path(face: str = "regular") -> Path:
    """File of a face: regular, italic, bold or medium."""
    return Path(str(resources.files("wideberth.fonts") / FACES[face]))
