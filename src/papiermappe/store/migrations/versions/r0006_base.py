"""Runs instead of passes, one journal for the whole desk, documents and deliveries, codes instead of words."""

import re
import uuid
from collections.abc import Iterator
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"

CODES = {
    "by hand": "by_hand",
    "as scanned": "as_scanned",
    "paper white": "white",
    "one side": "one",
    "both sides": "both",
    "black and white": "bilevel",
    "any size": "any",
    "one picture": "picture",
    "ink and paper apart": "layers",
    "cut off": "cut_off",
    "too bright": "too_bright",
    "too dark": "too_dark",
    "dust line": "dust_line",
}
"""What was kept as words, and the code that says it now."""

FINDING_PARAMS = {
    "doubled": (re.compile(r"(\d+) mm longer"), "longer_mm", int),
    "cut_off": (re.compile(r"at the (\w+)"), "edge", str),
    "dirty": (re.compile(r"about (\d+) specks"), "specks", int),
}

HISTORY = (
    (re.compile(r"\d+ pages? turned 90° clockwise"), {"kind": "turn", "quarter_turns": -1}),
    (re.compile(r"\d+ pages? turned 90° counter-clockwise"), {"kind": "turn", "quarter_turns": 1}),
    (re.compile(r"\d+ pages? turned 180°"), {"kind": "turn", "quarter_turns": 2}),
    (re.compile(r"\d+ pages? moved"), {"kind": "move", "before": None}),
    (re.compile(r"\d+ sheets? put in printed order"), {"kind": "sort_by_numbers"}),
    (re.compile(r"\d+ pages? put away|the one side of sheet \d+ put away"), {"kind": "set_aside"}),
    (re.compile(r"\d+ pages? brought back"), {"kind": "bring_back"}),
    (re.compile(r"straightening on"), {"kind": "straighten", "on": True}),
    (re.compile(r"straightening off"), {"kind": "straighten", "on": False}),
    (re.compile(r"cropping on"), {"kind": "crop", "on": True}),
    (re.compile(r"cropping off"), {"kind": "crop", "on": False}),
    (re.compile(r"\d+ pages? shown in the tones of the scan"), {"kind": "set_tone", "tone": "as_scanned"}),
    (re.compile(r"\d+ pages? shown with white paper"), {"kind": "set_tone", "tone": "white"}),
    (re.compile(r"\d+ pages? shown in grey"), {"kind": "set_tone", "tone": "grey"}),
    (re.compile(r"\d+ pages? shown in black and white"), {"kind": "set_tone", "tone": "bilevel"}),
)
"""What the history said of changes by people, and the operation that each was."""

DEFAULTS = {
    "part": None, "corners": None, "straighten": None, "crop": None, "margins": [0.0, 0.0], "quarter_turns": 0,
    "turn_origin": "found", "wipes": [], "tone": "as_scanned",
}  # fmt: skip
"""Of a treatment's fields, as they were when this revision was written."""


def upgrade() -> None:
    """Carry everything over; what was said in words that no code is known for is kept as those words."""
    op.execute("create sequence change_seq")
    _devices_tickets_destinations()
    _mappen()
    _runs_and_captures()
    _pages()
    _journal()
    _filings()
    _jobs()
    op.create_table(
        "receipt",
        sa.Column("request_id", sa.String(), primary_key=True),
        sa.Column("answer", JSONB()),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False, index=True),
    )


def downgrade() -> None:
    """Several pages of one capture, runs without a device and deliveries have no place in what was before."""
    raise NotImplementedError


def _codes(*values: str, name: str) -> sa.Enum:
    return sa.Enum(*values, name=name, native_enum=False, create_constraint=True, length=20)


def _new_states(table: str, states: tuple[str, ...], changed: dict[str, str]) -> None:
    op.execute(f"alter table {table} drop constraint if exists ck_{table}_state")
    for old, new in changed.items():
        op.execute(sa.text(f"update {table} set state = :new where state = :old").bindparams(new=new, old=old))  # noqa: S608 (our own names)
    quoted = ", ".join(f"'{state}'" for state in states)
    op.create_check_constraint(op.f(f"ck_{table}_state"), table, f"state in ({quoted})")


def _in_codes(value: Any) -> Any:
    """Return a JSON value with the words that have become codes."""
    if isinstance(value, dict):
        return {name: _in_codes(part) for name, part in value.items()}
    if isinstance(value, list):
        return [_in_codes(part) for part in value]
    return CODES.get(value, value) if isinstance(value, str) else value


def _rewrite(table: str, column: str, rewritten: Any) -> None:
    """Replace the JSON of a column, row by row."""
    rows = sa.table(table, sa.column("id", sa.Integer), sa.column(column, JSONB))
    bind = op.get_bind()
    for row in bind.execute(sa.select(rows.c.id, rows.c[column]).where(rows.c[column].is_not(None))).all():
        bind.execute(rows.update().where(rows.c.id == row.id).values({column: rewritten(row[1])}))


def _devices_tickets_destinations() -> None:
    op.add_column("device", sa.Column("uuid", sa.String(), unique=True))
    op.add_column("device", sa.Column("capabilities", JSONB()))
    op.drop_constraint(op.f("uq_device_url"), "device")
    op.create_index("uq_device_url_nameless", "device", ["url"], unique=True, postgresql_where=sa.text("uuid is null"))
    op.add_column("ticket", sa.Column("is_default", sa.Boolean(), nullable=False, server_default="false"))
    op.execute("update ticket set is_default = true where name = 'Everyday'")
    op.create_index("uq_ticket_default", "ticket", ["is_default"], unique=True, postgresql_where=sa.text("is_default"))
    _rewrite("ticket", "settings", _in_codes)
    kind = _codes("folder", name="kind")
    op.add_column("destination", sa.Column("kind", kind, nullable=False, server_default="folder"))
    op.alter_column("destination", "kind", server_default=None)
    op.add_column("destination", sa.Column("settings", JSONB()))
    op.execute("update destination set settings = jsonb_build_object('path', folder)")
    op.alter_column("destination", "settings", nullable=False)
    op.drop_column("destination", "folder")


def _mappen() -> None:
    op.add_column("mappe", sa.Column("cleared_at", sa.DateTime(timezone=True)))
    op.create_index(op.f("ix_mappe_cleared_at"), "mappe", ["cleared_at"])
    for name in ("change", "subject_change"):
        op.add_column("mappe", sa.Column(name, sa.BigInteger(), nullable=False, server_default="0"))


def _runs_and_captures() -> None:
    op.rename_table("pass", "run")
    op.execute("alter sequence pass_id_seq rename to run_id_seq")
    renames = {
        "pk_pass": "pk_run", "fk_pass_device_id_device": "fk_run_device_id_device",
        "fk_pass_mappe_id_mappe": "fk_run_mappe_id_mappe", "uq_pass_mappe_id_number": "uq_run_mappe_id_number",
    }  # fmt: skip
    for old, new in renames.items():
        op.execute(f"alter table run rename constraint {old} to {new}")
    for index in ("uq_pass_device_live", "uq_pass_mappe_live"):
        op.drop_index(index, "run")
    op.execute("alter table run drop constraint if exists ck_pass_state")
    states = ("receiving", "waiting", "done", "stopped", "interrupted")
    _new_states("run", states, {"taking": "receiving", "failed": "interrupted"})
    for column in ("device_id", "mappe_id"):
        name = f"uq_run_{column.removesuffix('_id')}_live"
        live = sa.text("state in ('receiving', 'waiting')")
        op.create_index(name, "run", [column], unique=True, postgresql_where=live)
    origin = _codes("scanner", "files", "folder", "camera", name="origin")
    op.add_column("run", sa.Column("origin", origin, nullable=False, server_default="scanner"))
    op.alter_column("run", "origin", server_default=None)
    op.alter_column("run", "device_id", nullable=True)
    op.alter_column("run", "ticket", nullable=True)
    op.create_check_constraint(op.f("ck_run_scanner"), "run", "origin <> 'scanner' or device_id is not null")
    camera = "origin in ('scanner', 'camera') or device_id is null"
    op.create_check_constraint(op.f("ck_run_no_device"), "run", camera)
    op.add_column("run", sa.Column("expected_sheets", sa.Integer()))
    op.alter_column("run", "stop_wanted", new_column_name="stop_requested")
    op.add_column("run", sa.Column("dismissed", sa.Boolean(), nullable=False, server_default="false"))
    op.add_column("run", sa.Column("pages_before_job", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("run", sa.Column("change", sa.BigInteger(), nullable=False, server_default="0"))
    _messages("run")
    _rewrite("run", "ticket", _in_codes)

    op.alter_column("capture", "pass_id", new_column_name="run_id")
    op.execute("alter table capture rename constraint fk_capture_pass_id_pass to fk_capture_run_id_run")
    old = "uq_capture_pass_id_sheet_side"
    op.execute(f"alter table capture rename constraint {old} to uq_capture_run_id_sheet_side")
    for name in ("sheet", "side"):
        op.alter_column("capture", name, nullable=True)
    op.add_column("capture", sa.Column("file_name", sa.String()))
    op.add_column("capture", sa.Column("file_page", sa.Integer()))
    columns = ["run_id", "file_name", "file_page"]
    op.create_unique_constraint(op.f("uq_capture_run_id_file_name_file_page"), "capture", columns)
    pairs = "(sheet is null) = (side is null) and (file_name is null) = (file_page is null)"
    op.create_check_constraint(op.f("ck_capture_pairs"), "capture", pairs)
    source = "sheet is not null or file_name is not null"
    op.create_check_constraint(op.f("ck_capture_source"), "capture", source)
    op.alter_column("capture", "byte_size", type_=sa.BigInteger())
    op.create_index(op.f("ix_capture_sha256"), "capture", ["sha256"])


def _messages(table: str) -> None:
    """Keep sentences as the parameter of a code that says nothing but them."""
    op.alter_column(table, "message", new_column_name="said")
    op.add_column(table, sa.Column("message", JSONB()))
    earlier = "jsonb_build_object('code', 'earlier', 'params', jsonb_build_object('text', said))"
    op.execute(f"update {table} set message = {earlier} where said is not null")  # noqa: S608 (our own names)
    op.drop_column(table, "said")


def _pages() -> None:
    op.drop_constraint(op.f("uq_page_capture_id"), "page")
    op.create_index(op.f("ix_page_capture_id"), "page", ["capture_id"])
    op.alter_column("page", "put_away", new_column_name="set_aside")
    op.alter_column("page", "look", new_column_name="analysis")
    op.alter_column("page", "revision", type_=sa.BigInteger())
    op.drop_index(op.f("ix_page_mappe_id"), "page")
    op.create_index("ix_page_mappe_id_revision", "page", ["mappe_id", "revision"])
    _rewrite("page", "treatment", _in_codes)
    _rewrite("page", "analysis", _analysis)


def _analysis(look: dict[str, Any]) -> dict[str, Any]:
    return {
        **look,
        "treatment": _in_codes(look["treatment"]),
        "findings": [_finding(finding) for finding in look["findings"]],
    }


def _finding(finding: dict[str, Any]) -> dict[str, Any]:
    kind = CODES.get(finding["kind"], finding["kind"])
    params: dict[str, Any] = {}
    if kind in FINDING_PARAMS:
        pattern, name, made = FINDING_PARAMS[kind]
        if found := pattern.search(finding.get("message", "")):
            params[name] = made(found[1])
    return {**{name: value for name, value in finding.items() if name != "message"}, "kind": kind, "params": params}


def _journal() -> None:
    op.rename_table("journal_entry", "journal_entry_before")
    for kind, name in (("constraint", "pk_journal_entry"), ("constraint", "fk_journal_entry_mappe_id_mappe")):
        op.execute(f"alter table journal_entry_before rename {kind} {name} to {name}_before")
    op.execute("alter table journal_entry_before drop constraint if exists ck_journal_entry_kind")
    op.create_table(
        "journal_entry",
        sa.Column("seq", sa.BigInteger(), autoincrement=False, nullable=False),
        sa.Column("kind", _codes("do", "undo", "redo", "machine", name="kind"), nullable=False),
        sa.Column("of_seq", sa.BigInteger()),
        sa.Column("author", sa.String(), nullable=False),
        sa.Column("operation", JSONB()),
        sa.Column("message", JSONB()),
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.PrimaryKeyConstraint("seq", name=op.f("pk_journal_entry")),
        sa.ForeignKeyConstraint(["of_seq"], ["journal_entry.seq"], name=op.f("fk_journal_entry_of_seq_journal_entry")),
    )
    op.create_index(op.f("ix_journal_entry_of_seq"), "journal_entry", ["of_seq"])
    for table, what in (("journal_mappe", "mappe"), ("journal_change", "page")):
        extra = [sa.Column(name, JSONB(), nullable=False) for name in ("before", "after")] if what == "page" else []
        op.create_table(
            table,
            sa.Column(f"{what}_id", sa.Integer(), nullable=False),
            sa.Column("seq", sa.BigInteger(), nullable=False),
            *extra,
            sa.PrimaryKeyConstraint(f"{what}_id", "seq", name=op.f(f"pk_{table}")),
            sa.ForeignKeyConstraint([f"{what}_id"], [f"{what}.id"], name=op.f(f"fk_{table}_{what}_id_{what}")),
            sa.ForeignKeyConstraint(["seq"], ["journal_entry.seq"], name=op.f(f"fk_{table}_seq_journal_entry")),
        )
    op.create_index(op.f("ix_journal_change_seq"), "journal_change", ["seq"])
    _carry_journal()
    op.drop_table("journal_entry_before")
    op.execute("update mappe set change = nextval('change_seq'), subject_change = currval('change_seq')")
    op.execute("update run set change = mappe.change from mappe where mappe.id = run.mappe_id")
    op.drop_column("mappe", "seq")


def _carry_journal() -> None:
    """Number all entries anew in the order of their time, and split them by page."""
    bind = op.get_bind()
    entries = sa.table("journal_entry", *map(sa.column, ("seq", "kind", "of_seq", "author", "at")),
                       *(sa.column(name, JSONB(none_as_null=True)) for name in ("operation", "message")))  # fmt: skip
    of_mappe = sa.table("journal_mappe", sa.column("mappe_id"), sa.column("seq"))
    of_page = sa.table("journal_change", sa.column("page_id"), sa.column("seq"),
                       sa.column("before", JSONB), sa.column("after", JSONB))  # fmt: skip
    there = set(bind.scalars(sa.text("select id from page")))
    new_seq: dict[tuple[int, int], int] = {}
    before = sa.text("select * from journal_entry_before order by at, mappe_id, seq")
    for row in bind.execute(before).mappings().all():
        seq = new_seq[row["mappe_id"], row["seq"]] = bind.scalar(sa.text("select nextval('change_seq')")) or 0
        changes = list(_changes(row, there))
        operation = _operation(row["text"], [page for page, _, _ in changes]) if row["kind"] == "do" else None
        told = row["text"] and operation is None and row["kind"] in {"do", "note"}
        bind.execute(
            entries.insert().values(
                seq=seq,
                kind="machine" if row["kind"] == "note" else row["kind"],
                of_seq=new_seq.get((row["mappe_id"], row["of_seq"])),
                author="" if row["kind"] == "note" else "desk",
                operation=operation,
                message={"code": "earlier", "params": {"text": row["text"]}} if told else None,
                at=row["at"],
            )
        )
        bind.execute(of_mappe.insert().values(mappe_id=row["mappe_id"], seq=seq))
        for page, old, new in changes:
            bind.execute(of_page.insert().values(page_id=page, seq=seq, before=old, after=new))
    pages = sa.table("page", sa.column("id"), sa.column("mappe_id"), sa.column("revision"))
    for row in bind.execute(sa.select(pages)).mappings().all():
        known = new_seq.get((row["mappe_id"], row["revision"]))
        revision = known or bind.scalar(sa.text("select nextval('change_seq')"))
        bind.execute(pages.update().where(pages.c.id == row["id"]).values(revision=revision))


def _changes(row: Any, there: set[int]) -> Iterator[tuple[int, dict[str, Any], dict[str, Any]]]:
    for page, after in row["after"].items():
        if int(page) in there:
            yield int(page), _fields(row["before"].get(page, {})), _fields(after)


def _fields(fields: dict[str, Any]) -> dict[str, Any]:
    renamed = {"set_aside" if name == "put_away" else name: _in_codes(value) for name, value in fields.items()}
    return {name: DEFAULTS.get(name) if value is None else value for name, value in renamed.items()}


def _operation(text: str, pages: list[int]) -> Any:
    for pattern, operation in HISTORY:
        if pattern.match(text):
            return {**operation, "pages": [] if operation["kind"] == "sort_by_numbers" else pages}
    return None


def _filings() -> None:
    op.create_table(
        "document",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("filing_id", sa.Integer(), sa.ForeignKey("filing.id"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("title", sa.String(), nullable=False),
        sa.Column("file_name", sa.String(), nullable=False),
        sa.Column("sha256", sa.String(), index=True),
        sa.Column("byte_size", sa.BigInteger()),
        sa.Column("made", JSONB()),
        sa.UniqueConstraint("filing_id", "number"),
    )
    op.create_table(
        "delivery",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("document_id", sa.Integer(), sa.ForeignKey("document.id"), nullable=False),
        sa.Column("destination_id", sa.Integer(), sa.ForeignKey("destination.id"), nullable=False),
        sa.Column("file_name", sa.String(), nullable=False),
        sa.Column("idempotency_key", sa.String(), nullable=False, unique=True),
        sa.Column("state", _codes("waiting", "delivering", "delivered", "failed", name="state"), nullable=False),
        sa.Column("tries", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("place", sa.String()),
        sa.Column("message", JSONB()),
        sa.Column("delivered_at", sa.DateTime(timezone=True)),
        sa.UniqueConstraint("destination_id", "file_name"),
        sa.UniqueConstraint("document_id", "destination_id"),
    )
    _rewrite("filing", "made", _in_codes)
    _rewrite("filing", "pages", _in_codes)
    _messages("filing")
    bind = op.get_bind()
    bind.execute(
        sa.text(
            "insert into document (filing_id, number, title, file_name, sha256, byte_size, made)"
            " select id, 1, title, file_name, sha256, byte_size, made from filing order by id"
        )
    )
    deliveries = sa.text(
        "select document.id as document_id, filing.destination_id, filing.file_name, filing.state, filing.done_at,"
        " destination.settings ->> 'path' as folder"
        " from filing join document on document.filing_id = filing.id"
        " join destination on destination.id = filing.destination_id order by filing.id"
    )
    columns = ("document_id", "destination_id", "file_name", "idempotency_key", "state", "place", "delivered_at")
    table = sa.table("delivery", *map(sa.column, columns))
    for row in bind.execute(deliveries).mappings().all():
        done = row["state"] == "done"
        bind.execute(
            table.insert().values(
                document_id=row["document_id"],
                destination_id=row["destination_id"],
                file_name=row["file_name"],
                idempotency_key=str(uuid.uuid4()),
                state="delivered" if done else "waiting",
                place=f"{row['folder']}/{row['file_name']}" if done else None,
                delivered_at=row["done_at"],
            )
        )
    for column in ("destination_id", "file_name", "title", "byte_size", "sha256", "made"):
        op.drop_column("filing", column)
    renames = {
        "kind": "format", "care": "recognition_mode", "stop_wanted": "stop_requested", "asked_at": "requested_at",
        "done_at": "ended_at",
    }  # fmt: skip
    for old, new in renames.items():
        op.alter_column("filing", old, new_column_name=new)
    for old, new in (("ck_filing_kind", "ck_filing_format"), ("ck_filing_care", "ck_filing_recognition_mode")):
        op.execute(
            f"do $$ begin if exists (select from pg_constraint where conname = '{old}') then"
            f" alter table filing rename constraint {old} to {new}; end if; end $$"
        )
    op.alter_column("filing", "recognition_mode", server_default=None)
    op.alter_column("filing", "format", server_default=None)
    op.add_column("filing", sa.Column("change", sa.BigInteger(), nullable=False, server_default="0"))
    _new_states("filing", ("queued", "making", "made", "failed", "stopped"), {"done": "made"})
    op.execute("update filing set change = mappe.change from mappe where mappe.id = filing.mappe_id")


def _jobs() -> None:
    """Give jobs that wait their new names; pictures are requested anew by who shows them."""
    op.execute("delete from procrastinate_jobs where task_name = 'render' or status not in ('todo', 'doing')")
    names = {"take_in": "receive", "look_at": "analyse", "try_levels": "estimate_levels", "file": "make"}
    for old, new in names.items():
        renamed = "update procrastinate_jobs set task_name = :new, queue_name = :new where task_name = :old"
        op.execute(sa.text(renamed).bindparams(new=new, old=old))
    for old, new in {"pass_id": "run_id", "not_again": "excluded"}.items():
        argument = f"args - '{old}' || jsonb_build_object('{new}', args -> '{old}')"
        renamed = f"update procrastinate_jobs set args = {argument} where args ? '{old}'"  # noqa: S608 (as above)
        op.get_bind().exec_driver_sql(renamed)
