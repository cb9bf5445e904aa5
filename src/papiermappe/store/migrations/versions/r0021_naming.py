"""Naming rules that people make, with a counter for each period; several documents a filing."""

import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0021"
down_revision = "0020"

SIMPLE = {
    "parts": [
        {"kind": "date", "source": "printed", "form": "day"},
        {"kind": "subject"},
        {"kind": "counter", "width": 4, "restarts": "never"},
    ],
    "separator": "_",
    "letters": "plain",
    "small": True,
    "max_characters": 120,
}
BEFORE = "date, subject, number"
NAME = "Date, subject, number"


def upgrade() -> None:
    """The one rule that there was becomes the default one, and its counter goes on."""
    op.create_table(
        "naming_counter",
        sa.Column("rule_id", sa.Integer(), nullable=False),
        sa.Column("counted", sa.String(), nullable=False),
        sa.Column("next_number", sa.Integer(), nullable=False),
        sa.PrimaryKeyConstraint("rule_id", "counted", name="pk_naming_counter"),
        sa.ForeignKeyConstraint(["rule_id"], ["naming_rule.id"], name="fk_naming_counter_rule_id_naming_rule"),
    )
    op.drop_constraint(op.f("uq_naming_rule_name"), "naming_rule")
    op.add_column("naming_rule", sa.Column("rule", postgresql.JSONB()))
    op.add_column("naming_rule", sa.Column("is_default", sa.Boolean(), nullable=False, server_default="false"))
    op.add_column("naming_rule", sa.Column("removed_at", sa.DateTime(timezone=True)))
    connection = op.get_bind()
    connection.execute(
        sa.text(
            "insert into naming_rule (name, next_number) select cast(:before as varchar), 1"
            " where not exists (select from naming_rule where name = :before)"
        ),
        {"before": BEFORE},
    )
    connection.execute(
        sa.text(
            "update naming_rule set name = :name, rule = cast(:rule as jsonb), is_default = true where name = :before"
        ),
        {"name": NAME, "rule": json.dumps(SIMPLE), "before": BEFORE},
    )
    connection.execute(
        sa.text(
            "insert into naming_counter (rule_id, counted, next_number) select id, '', next_number from naming_rule"
        )
    )
    op.alter_column("naming_rule", "rule", nullable=False)
    op.drop_column("naming_rule", "next_number")
    live, default = sa.text("removed_at is null"), sa.text("is_default")
    op.create_index("uq_naming_rule_name", "naming_rule", ["name"], unique=True, postgresql_where=live)
    op.create_index("uq_naming_rule_default", "naming_rule", ["is_default"], unique=True, postgresql_where=default)

    op.add_column("destination", sa.Column("naming_rule_id", sa.Integer()))
    _refers("destination")
    op.add_column("filing", sa.Column("naming_rule_id", sa.Integer()))
    op.add_column("filing", sa.Column("naming", postgresql.JSONB()))
    op.execute("update filing set naming_rule_id = rule.id, naming = rule.rule from naming_rule as rule")
    op.alter_column("filing", "naming_rule_id", nullable=False)
    op.alter_column("filing", "naming", nullable=False)
    _refers("filing")

    op.add_column("document", sa.Column("first_page", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("document", sa.Column("page_count", sa.Integer()))
    op.add_column("document", sa.Column("name_texts", postgresql.JSONB()))
    op.execute(
        "update document set page_count = filing.page_count,"
        " name_texts = jsonb_build_array(to_char(filing.dated, 'YYYY-MM-DD'), document.title, '')"
        " from filing where filing.id = document.filing_id"
    )
    op.alter_column("document", "first_page", server_default=None)
    op.alter_column("document", "page_count", nullable=False)
    op.alter_column("document", "name_texts", nullable=False)
    op.drop_column("filing", "dated")


def _refers(table: str) -> None:
    op.create_foreign_key(f"fk_{table}_naming_rule_id_naming_rule", table, "naming_rule", ["naming_rule_id"], ["id"])


def downgrade() -> None:
    """Go back to the one rule."""
    op.add_column("filing", sa.Column("dated", sa.Date()))
    op.execute("update filing set dated = requested_at::date")
    op.alter_column("filing", "dated", nullable=False)
    for column in ("first_page", "page_count", "name_texts"):
        op.drop_column("document", column)
    for column in ("naming_rule_id", "naming"):
        op.drop_column("filing", column)
    op.drop_column("destination", "naming_rule_id")
    op.drop_index("uq_naming_rule_default", "naming_rule")
    op.drop_index("uq_naming_rule_name", "naming_rule")
    op.add_column("naming_rule", sa.Column("next_number", sa.Integer(), nullable=False, server_default="1"))
    op.execute(
        "update naming_rule set next_number = counter.next_number from naming_counter as counter"
        " where counter.rule_id = naming_rule.id and counter.counted = ''"
    )
    op.drop_table("naming_counter")
    op.execute("delete from naming_rule where not is_default")
    op.get_bind().execute(sa.text("update naming_rule set name = :before"), {"before": BEFORE})
    for column in ("rule", "is_default", "removed_at"):
        op.drop_column("naming_rule", column)
    op.create_unique_constraint(op.f("uq_naming_rule_name"), "naming_rule", ["name"])
