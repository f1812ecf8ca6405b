"""Work that is a part of other work, as a reading of the site is of a rehearsal."""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("work", sa.Column("within", sa.Text(), nullable=True))


def downgrade() -> None:
    op.drop_column("work", "within")
