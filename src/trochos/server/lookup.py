"""A row by one value, with its SQL made once.

Every request asks who is signed in and which survey is meant. Django builds the SQL of such a
question anew each time, which takes several times as long as the database does; here it is built
once per process, by Django itself, and so are the converters of its columns (decision 0041).
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Generic, NamedTuple, TypeVar

from django.db import connection
from django.db.models import Model, QuerySet

M = TypeVar("M", bound=Model)


class _Plan(NamedTuple):
    sql: str
    params: list[Any]
    at: int
    """Where among the parameters the value stands."""
    columns: list[Any]
    converters: dict[int, Any]


class Lookup(Generic[M]):
    """Finds one row of a query set by the only value that it filters by.

    Args:
        rows: the query set for a value; what `select_related` of one relation brings is kept with
            the row, also that there is nothing.
        sample: any value of the right kind, to make the SQL with.
    """

    def __init__(self, rows: Callable[[Any], QuerySet[M]], sample: object) -> None:
        self.rows, self.sample = rows, sample
        self._plan: _Plan | None = None

    def _planned(self) -> _Plan:
        if self._plan is None:
            compiler = self.rows(self.sample).query.get_compiler(connection=connection)
            sql, params = compiler.as_sql()
            selected = [column[0] for column in compiler.select]
            self._plan = _Plan(
                sql,
                list(params),
                list(params).index(self.sample),
                [expression.target for expression in selected],
                compiler.get_converters(selected),
            )
        return self._plan

    def get(self, value: object) -> M | None:
        """The row, or None."""
        plan = self._planned()
        params = [*plan.params]
        params[plan.at] = value
        with connection.cursor() as cursor:
            cursor.execute(plan.sql, params)
            row = cursor.fetchone()
        if row is None:
            return None
        values = list(row)
        for place, (convert, expression) in plan.converters.items():
            for one in convert:
                values[place] = one(values[place], expression, connection)
        model = plan.columns[0].model
        own: list[tuple[Any, Any]] = []
        other: list[tuple[Any, Any]] = []
        for column, held in zip(plan.columns, values, strict=True):
            (own if column.model is model else other).append((column, held))
        found: M = _made(own)
        if other:
            _related(found, other)
        return found


def _made(columns: list[tuple[Any, Any]]) -> Any:
    names = [column.attname for column, _ in columns]
    return columns[0][0].model.from_db(connection.alias, names, [held for _, held in columns])


def _related(found: Model, columns: list[tuple[Any, Any]]) -> None:
    """Hangs the row of a one-to-one relation on the one it belongs to."""
    target = columns[0][0].model
    relation: Any = next(f for f in found._meta.get_fields() if f.related_model is target)
    held = _made(columns) if any(value is not None for _, value in columns) else None
    relation.set_cached_value(found, held)
    if held is not None:
        relation.remote_field.set_cached_value(held, found)
