"""Words that stand one behind the other are found by an index: common ones stand on nearly every page."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0032"
down_revision = "0031"

# the words as they stand, each with the one that follows; the database keeps 256 places of a word and 16383 in all
WORD_PAIRS = """
create function word_pairs(said text) returns text[] language sql immutable parallel safe as $$
    select coalesce(array_agg(distinct word || ' ' || following), '{}') from (
        select word, place, lead(word) over along as following, lead(place) over along as next_place
        from (
            select lexeme as word, unnest(positions) as place
            from unnest(to_tsvector('pg_catalog.simple'::regconfig, said))
        ) as placed
        window along as (order by place)
    ) as followed
    where next_place = place + 1
$$
"""


def upgrade() -> None:
    """Add the column and its index."""
    op.execute(WORD_PAIRS)
    op.add_column(
        "document_page",
        sa.Column(
            "word_pairs", postgresql.ARRAY(sa.Text()), sa.Computed("word_pairs(text)", persisted=True), nullable=False
        ),
    )
    op.create_index("ix_document_page_word_pairs", "document_page", ["word_pairs"], postgresql_using="gin")


def downgrade() -> None:
    """Take them away."""
    op.drop_index("ix_document_page_word_pairs", "document_page")
    op.drop_column("document_page", "word_pairs")
    op.execute("drop function word_pairs(text)")
