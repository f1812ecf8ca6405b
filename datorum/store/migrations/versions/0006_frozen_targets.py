"""Plans keep what a run of them goes by; imports are archived; what has run cannot be deleted."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

# Plans made before are given the target that a run of them would have had until now. They lack digests of what they
# rest on, and so are stale.
_TARGETS = """
    UPDATE plan SET target = jsonb_build_object(
        'record_type', site.description -> 'collections' -> import.record_type -> 'record_type',
        'match_key', coalesce(mapping_version.body ->> 'match_key', ''),
        'address', site.address,
        'description', jsonb_set(
            site.description, '{collections}',
            jsonb_build_object(import.record_type, site.description -> 'collections' -> import.record_type)
        )
    )
    FROM import JOIN site ON site.id = import.site_id
        JOIN mapping_version ON mapping_version.import_id = import.id
    WHERE plan.import_id = import.id AND mapping_version.version = plan.mapping_version
"""


def upgrade() -> None:
    op.add_column("import", sa.Column("archived_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("plan", sa.Column("basis", JSONB(), nullable=False, server_default="{}"))
    op.add_column("plan", sa.Column("target", JSONB(), nullable=False, server_default="{}"))
    op.execute(_TARGETS)
    op.alter_column("plan", "basis", server_default=None)
    op.alter_column("plan", "target", server_default=None)
    op.drop_column("plan", "mapping_version")
    op.drop_column("plan", "revision")
    op.drop_constraint("fk_run_plan_id", "run", type_="foreignkey")
    op.create_foreign_key("fk_run_plan_id", "run", "plan", ["plan_id"], ["id"], ondelete="RESTRICT")


def downgrade() -> None:
    op.drop_constraint("fk_run_plan_id", "run", type_="foreignkey")
    op.create_foreign_key("fk_run_plan_id", "run", "plan", ["plan_id"], ["id"], ondelete="CASCADE")
    op.add_column("plan", sa.Column("revision", sa.Integer(), nullable=False, server_default="-1"))
    op.add_column("plan", sa.Column("mapping_version", sa.Integer(), nullable=False, server_default="-1"))
    op.drop_column("plan", "target")
    op.drop_column("plan", "basis")
    op.drop_column("import", "archived_at")
