"""The layer package's manifest as a schema: what a printer, or whoever writes for one, may rely on."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import ConfigDict, Field, TypeAdapter
from pydantic.dataclasses import dataclass

STRICT = ConfigDict(extra="forbid")
Seconds = Annotated[float, Field(ge=0)]
Millimetres = Annotated[float, Field(gt=0)]
Speed = Annotated[float, Field(gt=0, description="mm/min")]


@dataclass(frozen=True, config=STRICT)
class MotionEntry:
    """From one light to the next, in millimetres, millimetres a minute and seconds."""

    lift_mm: Millimetres
    lift_mm_per_min: Speed
    second_lift_mm: Annotated[float, Field(ge=0)]
    second_lift_mm_per_min: Speed
    return_mm_per_min: Speed
    slow_return_mm: Annotated[float, Field(ge=0)]
    slow_return_mm_per_min: Speed
    wait_before_s: Seconds
    wait_after_s: Seconds
    wait_lifted_s: Seconds


@dataclass(frozen=True, config=STRICT)
class LayerEntry:
    """One layer: its image, how high it ends, its light, and how long all of it takes."""

    file: Annotated[str, Field(pattern=r"^layers/\d{5,}\.png$")]
    z_mm: Millimetres
    exposure_s: Annotated[float, Field(gt=0)]
    seconds: Seconds


@dataclass(frozen=True, config=STRICT)
class Manifest:
    """`manifest.json` of a layer package."""

    format: Literal["wide-berth layers"]
    version: Literal[1]
    title: str
    printer: str
    resin: str
    pixels: Annotated[tuple[int, int], Field(description="columns and rows of each image")]
    pixel_mm: tuple[float, float]
    plate_mm: tuple[float, float]
    image_rows: str
    grey_levels: Annotated[int, Field(ge=2, le=16)]
    layer_height_mm: Millimetres
    layer_count: Annotated[int, Field(ge=1)]
    total_seconds: Seconds
    resin_ml: Annotated[float, Field(ge=0)]
    motion: MotionEntry
    first_layers: Annotated[int, Field(ge=0)]
    first_motion: MotionEntry
    layers: Annotated[tuple[LayerEntry, ...], Field(min_length=1)]
    first_edges: Literal["as drawn", "drawn in", "chamfer"] = "as drawn"


def schema() -> dict[str, Any]:
    """The JSON schema of a manifest, as docs/layers.schema.json has it."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema"} | TypeAdapter(Manifest).json_schema()
