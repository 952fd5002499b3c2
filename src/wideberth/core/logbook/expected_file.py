"""A prediction as a logbook keeps it: a zip of arrays in single precision."""

from __future__ import annotations

import io
import json
import zipfile
from dataclasses import asdict, fields
from typing import Any

import numpy as np

from wideberth.core.errors import BadLog
from wideberth.core.loads import CAUSES
from wideberth.core.logbook.expected import CHECKS, PULLED, Coefficients, Expected

VERSION = 2
MOST_BYTES = 400_000_000
"""A record that unpacks to more is no record of a print."""
MOST_LAYERS = 200_000
SINGLE = np.float32
PLAIN = ("layer_mm", "names", "solid_ml", "clings_ml", "stays_ml", "first_layers", "at")


def packed(expected: Expected) -> bytes:
    """As bytes that `unpacked` reads: a zip of arrays in single precision, and what is no array as JSON."""
    plain = {name: getattr(expected, name) for name in PLAIN} | {"at": asdict(expected.at)}
    arrays = {
        f.name: value.astype(SINGLE if value.dtype.kind == "f" else np.int32)
        for f in fields(Expected)
        if f.name not in PLAIN and isinstance(value := getattr(expected, f.name), np.ndarray)
    }
    out = io.BytesIO()
    head = np.frombuffer(json.dumps({"version": VERSION} | plain).encode(), np.uint8)
    np.savez_compressed(out, plain=head, **arrays)  # type: ignore[arg-type]
    return out.getvalue()


def unpacked(content: bytes, where: str = "the log") -> Expected:
    """What `packed` made.

    Raises
    ------
    BadLog : for anything else.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(content)) as whole:
            if sum(entry.file_size for entry in whole.infolist()) > MOST_BYTES:
                raise BadLog("is too large for a record of a print.", where=where)
        with np.load(io.BytesIO(content), allow_pickle=False) as kept:
            plain = json.loads(kept["plain"].tobytes().decode())
            if plain.pop("version") not in (1, VERSION):
                raise BadLog("was written by another version.", where=where, remedy="Update Wide Berth.")
            arrays = {name: np.asarray(kept[name]) for name in kept.files if name != "plain"}
            arrays.setdefault("tip_ratio", np.full(len(arrays["tip_print"]), np.nan, SINGLE))  # not kept before version 2
        plain["at"] = Coefficients(**{k: float(v) for k, v in plain["at"].items()})
        values: dict[str, Any] = {k: tuple(str(n) for n in v) if k == "names" else v for k, v in plain.items()}
        values |= {k: v.astype(np.float64 if v.dtype.kind == "f" else np.int64) for k, v in arrays.items()}
        made = Expected(**values)
        _check(made)
    except (OSError, ValueError, KeyError, TypeError, AttributeError, zipfile.BadZipFile, EOFError) as error:
        raise BadLog("is no record of a predicted print.", where=where) from error
    return made


def _check(made: Expected) -> None:
    """Refuse arrays that do not go together.

    Raises
    ------
    ValueError
    """
    layers, tips, prints = len(made.seconds), len(made.tip_print), len(made.names)
    by_layer = ("moved_s", "lit_s", "line_n", "viscous_n", "sealed_n", "vented_n", "rate", "vat_c", "grown_ml", "hold_margin",
                "hold_low", "hold_high", "plate_margin")  # fmt: skip
    shapes: dict[str, tuple[int, ...]] = {name: (layers,) for name in by_layer}
    shapes |= {"own_n": (prints, layers, len(PULLED)), "tip_layer": (tips,), "tip_mm": (tips,), "tip_holds_n": (tips,)}
    shapes |= {"tip_ratio": (tips,)}
    shapes |= {"tip_cause_n": (tips, len(CAUSES)), "tip_margin": (tips,), "tip_so_far": (CHECKS, tips)}
    if not 0 < layers <= MOST_LAYERS or any(getattr(made, name).shape != shape for name, shape in shapes.items()):
        raise ValueError("shapes")
    along = len(made.tip_n)
    if along not in (0, layers) or made.tip_n.shape[1:] != (tips, len(CAUSES)) or made.tip_bears_n.shape != (along, tips):
        raise ValueError("tips")
    felt = (made.seconds, made.line_n, made.viscous_n, made.sealed_n, made.vented_n, made.rate, made.vat_c, made.own_n)
    if not all(np.isfinite(v).all() for v in felt) or not 0 < made.layer_mm < 1:
        raise ValueError("not finite")
    if tips and (made.tip_print.min() < 0 or made.tip_print.max() >= prints or made.tip_layer.max() >= layers):
        raise ValueError("tips of no print")
