"""Items of a plan come a million at a time, all of one plan: to ask of each whether that is there took as long as to
keep them. They go with their plan as before."""

from alembic import op

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.drop_constraint("fk_plan_item_plan_id", "plan_item", type_="foreignkey")
    op.execute(
        """CREATE FUNCTION forget_items() RETURNS trigger LANGUAGE plpgsql AS $$
        BEGIN DELETE FROM plan_item WHERE plan_id = OLD.id; RETURN NULL; END $$"""
    )
    op.execute("CREATE TRIGGER forget_items AFTER DELETE ON plan FOR EACH ROW EXECUTE FUNCTION forget_items()")


def downgrade() -> None:
    op.execute("DROP TRIGGER forget_items ON plan")
    op.execute("DROP FUNCTION forget_items()")
    op.create_foreign_key("fk_plan_item_plan_id", "plan_item", "plan", ["plan_id"], ["id"], ondelete="CASCADE")
