"""What is said between the program and a device: one JSON object a line, checked on both sides. See docs/devices.md."""

from __future__ import annotations

import json
from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from wideberth.core.errors import BadDevice
from wideberth.core.naming import shown

VERSION = 1
LONGEST_LINE = 65_536
"""Bytes of a line; what is longer is no message."""
STRICT = ConfigDict(extra="forbid", allow_inf_nan=False)
Text = Annotated[str, Field(max_length=400)]
Name = Annotated[str, Field(min_length=1, max_length=80)]
Path = Annotated[str, Field(min_length=1, max_length=4096)]
Layer = Annotated[int, Field(ge=0, le=200_000)]
Newtons = Annotated[float, Field(ge=-100_000, le=100_000)]
Grams = Annotated[float, Field(ge=-1000, le=1_000_000)]
Celsius = Annotated[float, Field(ge=-40, le=150)]
Seconds = Annotated[float, Field(ge=0, le=10_000_000)]


# asked of a device


@dataclass(frozen=True, config=STRICT)
class Hello:
    """Who are you? Always the first line."""

    ask: Literal["hello"] = "hello"
    version: Literal[1] = 1


@dataclass(frozen=True, config=STRICT)
class Load:
    """Take a layer package; `nature` is for simulated printers alone: what only they may know of the print."""

    package: Path
    nature: Path | None = None
    ask: Literal["load"] = "load"


@dataclass(frozen=True, config=STRICT)
class Do:
    """Begin, pause, go on, stop, or tell the state."""

    ask: Literal["start", "pause", "resume", "stop", "state"]


@dataclass(frozen=True, config=STRICT)
class RunTimer:
    """A station's timers: wash or cure for so long, or nothing any more."""

    what: Literal["wash", "cure"]
    seconds: Seconds
    ask: Literal["run"] = "run"


Asked = Hello | Load | Do | RunTimer


# told by a device


@dataclass(frozen=True, config=STRICT)
class Device:
    """What a device is, and what it can feel."""

    kind: Literal["printer", "station"]
    name: Name
    serial: Name
    sensors: Annotated[tuple[Literal["pull_n", "vat_g", "vat_c"], ...], Field(max_length=3)] = ()
    simulated: bool = False
    version: Literal[1] = 1
    tell: Literal["hello"] = "hello"


@dataclass(frozen=True, config=STRICT)
class Loaded:
    """A package was taken."""

    title: Annotated[str, Field(max_length=200)]
    layers: Annotated[int, Field(ge=1, le=200_000)]
    seconds: Seconds
    tell: Literal["loaded"] = "loaded"


@dataclass(frozen=True, config=STRICT)
class LayerDone:
    """A layer is done: from 0; seconds since the first light at its end, and of its own; what was felt at its lift."""

    layer: Layer
    at_s: Seconds
    seconds: Seconds
    pull_n: Newtons | None = None
    vat_g: Grams | None = None
    vat_c: Celsius | None = None
    tell: Literal["layer"] = "layer"


State = Literal["idle", "loaded", "printing", "paused", "stopped", "done", "washing", "curing"]


@dataclass(frozen=True, config=STRICT)
class Now:
    """The state of a device. left_s : of a station's timer."""

    state: State
    layer: Layer = 0
    left_s: Seconds = 0.0
    tell: Literal["state"] = "state"


@dataclass(frozen=True, config=STRICT)
class Lost:
    """A print of a simulated run that was found lost, by its number, and the layer at which it let go."""

    print: Annotated[int, Field(ge=0, le=100_000)]
    layer: Layer


@dataclass(frozen=True, config=STRICT)
class LookedAt:
    """What a simulated printer's print looks like off the plate. Real printers cannot tell."""

    lost: Annotated[tuple[Lost, ...], Field(max_length=100_000)]
    tips: Annotated[tuple[int, ...], Field(max_length=100_000)]
    off_plate: Layer | None
    torn: Layer | None
    used_g: Grams
    tell: Literal["looked at"] = "looked at"


@dataclass(frozen=True, config=STRICT)
class Refused:
    """What was asked cannot be done, and why."""

    what: Text
    tell: Literal["refused"] = "refused"


Told = Device | Loaded | LayerDone | Now | LookedAt | Refused
TOLD: dict[str, TypeAdapter[Any]] = {
    "hello": TypeAdapter(Device),
    "loaded": TypeAdapter(Loaded),
    "layer": TypeAdapter(LayerDone),
    "state": TypeAdapter(Now),
    "looked at": TypeAdapter(LookedAt),
    "refused": TypeAdapter(Refused),
}
DO: TypeAdapter[Any] = TypeAdapter(Do)
ASKS: dict[str, TypeAdapter[Any]] = {
    "hello": TypeAdapter(Hello),
    "load": TypeAdapter(Load),
    "run": TypeAdapter(RunTimer),
    **dict.fromkeys(("start", "pause", "resume", "stop", "state"), DO),
}


def line_of(message: Asked | Told) -> bytes:
    """A message as one line of JSON."""
    return TypeAdapter(type(message)).dump_json(message) + b"\n"


def told_in(line: bytes, device: str) -> Told:
    """What a device says in a line.

    Raises
    ------
    BadDevice : for what is no message of this protocol.
    """
    told: Told = _read(line, "tell", TOLD, device)
    return told


def asked_in(line: bytes) -> Asked:
    """What a device is asked in a line.

    Raises
    ------
    BadDevice
    """
    asked: Asked = _read(line, "ask", ASKS, "the program")
    return asked


def _read(line: bytes, key: str, known: dict[str, TypeAdapter[Any]], who: str) -> Any:
    def bad(why: str) -> BadDevice:
        return BadDevice(f"said what is no message ({why}).", where=who, kept="What was heard before is kept.",
                         remedy="The protocol is in docs/devices.md.")  # fmt: skip

    if len(line) > LONGEST_LINE:
        raise bad(f"a line of over {LONGEST_LINE:,} bytes")
    try:
        entries = json.loads(line.decode("utf-8"))
    except (UnicodeDecodeError, ValueError, RecursionError) as error:
        raise bad("no JSON") from error
    kind = entries.get(key) if isinstance(entries, dict) else None
    if not isinstance(kind, str) or kind not in known:
        raise bad(f"`{key}` is {shown(str(kind))[:40]}")
    try:
        return known[kind].validate_python(entries)
    except ValidationError as error:
        first = error.errors()[0]
        raise bad(f"{kind}, {'.'.join(str(p) for p in first['loc'])}: {first['msg'].lower()}") from error
