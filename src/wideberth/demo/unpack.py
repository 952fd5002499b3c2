"""An example of a converter: a layer package as a numbered folder of images and a table of layers.

Run as `python -m wideberth.demo.unpack PACKAGE FOLDER`. Needs nothing but the package, whose format docs/formats.md describes.
"""

from __future__ import annotations

import csv
import json
import sys
import zipfile
from pathlib import Path

COLUMNS = ("file", "z_mm", "exposure_s", "seconds")


def unpack(package: Path, folder: Path) -> int:
    """Write the images and `layers.csv`; returns how many layers there are."""
    folder.mkdir(parents=True)
    with zipfile.ZipFile(package) as source, open(folder / "layers.csv", "w", newline="", encoding="utf-8") as table:
        manifest = json.loads(source.read("manifest.json"))
        rows = csv.writer(table, lineterminator="\n")
        rows.writerow(COLUMNS)
        for number, layer in enumerate(manifest["layers"]):
            name = f"{number:05d}.png"
            (folder / name).write_bytes(source.read(layer["file"]))
            rows.writerow([name, *(layer[key] for key in COLUMNS[1:])])
    return len(manifest["layers"])


if __name__ == "__main__":
    print(f"{unpack(Path(sys.argv[1]), Path(sys.argv[2]))} layers")
