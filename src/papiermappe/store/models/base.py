"""What all tables have in common."""

from datetime import datetime
from decimal import Decimal
from enum import StrEnum
from typing import Any

from sqlalchemy import BigInteger, DateTime, Enum, MetaData, Numeric, Sequence
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase

Json = dict[str, Any]
BigInt = BigInteger()


class Base(DeclarativeBase):
    """The root of the tables; constraints are named after them."""

    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_N_label)s",
            "uq": "uq_%(table_name)s_%(column_0_N_name)s",
            "ck": "ck_%(table_name)s_%(constraint_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {  # noqa: RUF012 (SQLAlchemy's way)
        datetime: DateTime(timezone=True),
        Json: JSONB(none_as_null=True),
        list[Json]: JSONB(none_as_null=True),
        Decimal: Numeric,
    }


CHANGE_SEQ = Sequence("change_seq", metadata=Base.metadata)


def codes(kind: type[StrEnum], name: str) -> Enum:
    """Return a column type that keeps an enum by its codes, as text with a CHECK."""
    return Enum(
        kind,
        name=name,
        native_enum=False,
        length=20,
        create_constraint=True,
        values_callable=lambda members: [member.value for member in members],
    )
