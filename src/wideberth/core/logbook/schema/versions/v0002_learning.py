"""What was learnt from prints, what was changed on printers, the trainer; and which tips let go, and whether a film tore."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Add them; prints that are there were fitted from none, and no film of theirs is known to have torn."""
    op.add_column("prints", sa.Column("fitted", sa.Integer, nullable=False, server_default="0"))
    op.add_column("prints", sa.Column("film_torn", sa.Boolean, nullable=False, server_default=sa.false()))
    op.add_column("prints", sa.Column("lost_tips", sa.Text, nullable=False, server_default="[]"))
    op.create_table(
        "fits",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("at", sa.DateTime, nullable=False),
        *(sa.Column(name, sa.String(80), nullable=False) for name in ("printer", "resin", "film")),
        sa.Column("prints", sa.Integer, nullable=False),
        sa.Column("estimates", sa.Text, nullable=False),
        sa.Column("state", sa.String(20), nullable=False),
    )
    op.create_table(
        "services",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("at", sa.DateTime, nullable=False),
        sa.Column("printer", sa.String(80), nullable=False),
        sa.Column("what", sa.String(20), nullable=False),
        sa.Column("note", sa.Text, nullable=False),
    )
    op.create_table(
        "exercises",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("at", sa.DateTime, nullable=False),
        sa.Column("model", sa.String(80), nullable=False),
        sa.Column("seed", sa.Integer, nullable=False),
        sa.Column("guess", sa.Text, nullable=False),
        sa.Column("result", sa.Text, nullable=False),
        sa.Column("score", sa.Integer, nullable=False),
    )
