"""Documents that are web pages."""

from alembic import op

revision = "0025"
down_revision = "0024"

BEFORE = "'.pdf', '.tif', '.png', '.jpg', '.txt', '.xml', '.docx'"


def upgrade() -> None:
    """Allow them."""
    _formats(f"{BEFORE}, '.html'")


def downgrade() -> None:
    """Forget those that were filed."""
    op.execute(
        "delete from document_page using document join filing on filing.id = filing_id"
        " where document.id = document_id and format = '.html'"
    )
    op.execute(
        "delete from delivery using document join filing on filing.id = filing_id"
        " where document.id = document_id and format = '.html'"
    )
    op.execute("delete from document using filing where filing.id = filing_id and format = '.html'")
    op.execute("delete from filing where format = '.html'")
    _formats(BEFORE)


def _formats(listed: str) -> None:
    op.drop_constraint(op.f("ck_filing_format"), "filing")
    op.create_check_constraint(op.f("ck_filing_format"), "filing", f"format in ({listed})")
