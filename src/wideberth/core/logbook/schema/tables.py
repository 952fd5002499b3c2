"""The tables as they are now; versions/ says how they came to be."""

from __future__ import annotations

from sqlalchemy import (
    Boolean,
    Column,
    DateTime,
    Float,
    ForeignKey,
    Index,
    Integer,
    LargeBinary,
    MetaData,
    PrimaryKeyConstraint,
    String,
    Table,
    Text,
)

HEAD = "0002"
META = MetaData()

BENCHES = Table("benches", META, Column("hash", String(64), primary_key=True), Column("toml", Text, nullable=False))
"""Benches that prints were predicted with; many share one."""

PRINTS = Table(
    "prints",
    META,
    Column("id", String(36), primary_key=True),
    Column("began", DateTime, nullable=False),
    Column("finished", DateTime),
    Column("job", String(200), nullable=False),
    Column("plate", String(80), nullable=False),
    Column("recipe", String(64), nullable=False),
    Column("variant", String(80), nullable=False),
    Column("printer", String(80), nullable=False),
    Column("film", String(80), nullable=False),
    Column("resin", String(80), nullable=False),
    Column("settings", String(80), nullable=False),
    Column("source", String(120), nullable=False),
    Column("ended", String(20), nullable=False),
    Column("told", Text, nullable=False),
    Column("seconds", Float),
    Column("layers", Integer),
    Column("resin_g", Float),
    Column("vat_c", Float),
    Column("came_off", String(20), nullable=False),
    Column("off_plate", Integer),
    Column("cause", String(20), nullable=False),
    Column("warned", Boolean),
    Column("failed", Boolean),
    Column("fitted", Integer, nullable=False),
    Column("note", Text, nullable=False),
    Column("film_torn", Boolean, nullable=False),
    Column("lost_tips", Text, nullable=False),
    Column("alarms", Text, nullable=False),
    Column("findings", Text, nullable=False),
    Column("bench", String(64), ForeignKey("benches.hash")),
    Index("prints_by_time", "began"),
    Index("prints_by_group", "printer", "resin", "film"),
)

PARTS = Table(
    "parts",
    META,
    Column("print", String(36), ForeignKey("prints.id", ondelete="CASCADE"), nullable=False),
    Column("number", Integer, nullable=False),
    Column("name", String(120), nullable=False),
    Column("fate", String(20), nullable=False),
    Column("lost_layer", Integer),
    Column("spots", Text, nullable=False),
    Column("scars", Text, nullable=False),
    PrimaryKeyConstraint("print", "number"),
)

SAMPLES = Table(
    "samples",
    META,
    Column("print", String(36), ForeignKey("prints.id", ondelete="CASCADE"), nullable=False),
    Column("layer", Integer, nullable=False),
    Column("at_s", Float, nullable=False),
    Column("seconds", Float, nullable=False),
    Column("pull_n", Float),
    Column("vat_g", Float),
    Column("vat_c", Float),
    PrimaryKeyConstraint("print", "layer"),
)
"""Layers of a run that is under way; once it is over they are one blob."""

BLOBS = Table(
    "blobs",
    META,
    Column("print", String(36), ForeignKey("prints.id", ondelete="CASCADE"), nullable=False),
    Column("kind", String(20), nullable=False),
    Column("name", String(120), nullable=False),
    Column("content", LargeBinary, nullable=False),
    PrimaryKeyConstraint("print", "kind", "name"),
)
"""What is large: what was expected, what was measured, pictures."""

FITS = Table(
    "fits",
    META,
    Column("id", Integer, primary_key=True),
    Column("at", DateTime, nullable=False),
    Column("printer", String(80), nullable=False),
    Column("resin", String(80), nullable=False),
    Column("film", String(80), nullable=False),
    Column("prints", Integer, nullable=False),
    Column("estimates", Text, nullable=False),
    Column("state", String(20), nullable=False),
)
"""Fits that were taken, and those that were taken back."""

SERVICES = Table(
    "services",
    META,
    Column("id", Integer, primary_key=True),
    Column("at", DateTime, nullable=False),
    Column("printer", String(80), nullable=False),
    Column("what", String(20), nullable=False),
    Column("note", Text, nullable=False),
)
"""When a film, a screen, a bath or the vat's resin was changed: wear counts from there."""

EXERCISES = Table(
    "exercises",
    META,
    Column("id", Integer, primary_key=True),
    Column("at", DateTime, nullable=False),
    Column("model", String(80), nullable=False),
    Column("seed", Integer, nullable=False),
    Column("guess", Text, nullable=False),
    Column("result", Text, nullable=False),
    Column("score", Integer, nullable=False),
)
"""What was tried on the trainer's shelf."""
