"""Prints, their parts, samples and blobs."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None


def upgrade() -> None:
    """Make the first tables."""
    op.create_table("benches", sa.Column("hash", sa.String(64), primary_key=True), sa.Column("toml", sa.Text, nullable=False))
    texts = {"job": 200, "plate": 80, "recipe": 64, "variant": 80, "printer": 80, "film": 80, "resin": 80, "settings": 80}
    op.create_table(
        "prints",
        sa.Column("id", sa.String(36), primary_key=True),
        sa.Column("began", sa.DateTime, nullable=False),
        sa.Column("finished", sa.DateTime),
        *(sa.Column(name, sa.String(length), nullable=False) for name, length in texts.items()),
        sa.Column("source", sa.String(120), nullable=False),
        sa.Column("ended", sa.String(20), nullable=False),
        sa.Column("told", sa.Text, nullable=False),
        sa.Column("seconds", sa.Float),
        sa.Column("layers", sa.Integer),
        sa.Column("resin_g", sa.Float),
        sa.Column("vat_c", sa.Float),
        sa.Column("came_off", sa.String(20), nullable=False),
        sa.Column("off_plate", sa.Integer),
        sa.Column("cause", sa.String(20), nullable=False),
        sa.Column("warned", sa.Boolean),
        sa.Column("failed", sa.Boolean),
        sa.Column("note", sa.Text, nullable=False),
        sa.Column("alarms", sa.Text, nullable=False),
        sa.Column("findings", sa.Text, nullable=False),
        sa.Column("bench", sa.String(64), sa.ForeignKey("benches.hash")),
    )
    op.create_index("prints_by_time", "prints", ["began"])
    op.create_index("prints_by_group", "prints", ["printer", "resin", "film"])
    of_print = sa.ForeignKey("prints.id", ondelete="CASCADE")
    op.create_table(
        "parts",
        sa.Column("print", sa.String(36), of_print, nullable=False),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("fate", sa.String(20), nullable=False),
        sa.Column("lost_layer", sa.Integer),
        *(sa.Column(name, sa.Text, nullable=False) for name in ("spots", "scars")),
        sa.PrimaryKeyConstraint("print", "number"),
    )
    op.create_table(
        "samples",
        sa.Column("print", sa.String(36), sa.ForeignKey("prints.id", ondelete="CASCADE"), nullable=False),
        sa.Column("layer", sa.Integer, nullable=False),
        sa.Column("at_s", sa.Float, nullable=False),
        sa.Column("seconds", sa.Float, nullable=False),
        *(sa.Column(name, sa.Float) for name in ("pull_n", "vat_g", "vat_c")),
        sa.PrimaryKeyConstraint("print", "layer"),
    )
    op.create_table(
        "blobs",
        sa.Column("print", sa.String(36), sa.ForeignKey("prints.id", ondelete="CASCADE"), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("content", sa.LargeBinary, nullable=False),
        sa.PrimaryKeyConstraint("print", "kind", "name"),
    )
