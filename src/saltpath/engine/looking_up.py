"""One look-up: its statement asked of a database, the rows judged as an answer in JSON is."""

from __future__ import annotations

import time

from saltpath.core.answers.exchange import Exchange, Times
from saltpath.core.cases.case import Database, LookUp, Part, Project
from saltpath.core.cases.options import DEFAULTS, NO_OPTIONS, Options
from saltpath.core.cases.row_sources import DatabaseRows
from saltpath.core.cases.statement import Asked, Statement, no_database, statement
from saltpath.core.checks.judge import Outcome
from saltpath.core.references.scopes import Scopes
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked, Why, why
from saltpath.engine.client import Aborted
from saltpath.engine.connections import LARGEST, Place, Rows
from saltpath.engine.databases import Databases
from saltpath.engine.ending import ended
from saltpath.engine.judging import (
    Done,
    answer_of,
    blocked_step,
    faulty_step,
    repeated,
)
from saltpath.engine.session import Session

LOOK_UP = "LOOK UP"
"""What stands for the method in the evidence of a look-up."""


async def look_up(
    step: LookUp,
    options: Options,
    session: Session,
    part: Part,
    wanted: frozenset[str],
    project: Project,
    databases: Databases,
) -> Done:
    """Carry out the step of this part. What was asked and what came stands in its evidence as an
    exchange: the statement with its values as what was sent, the rows in JSON as what was
    received."""
    scopes, masker = session.scopes, session.masker
    exchanges: list[Exchange] = []
    attempts = 1
    options = step.options.over(options) if step.options is not NO_OPTIONS else options

    async def once(tried: list[Exchange]) -> Exchange:
        exchange = await _asked(step, options, session, project, databases)
        tried.append(exchange)
        return exchange

    try:
        until: tuple[Outcome, ...] = ()
        if step.repeat is None:
            exchange = await once(exchanges)
        else:
            exchange, until, attempts = await repeated(
                step, step.repeat, options, session, exchanges, once
            )
        if exchange.why is not None:
            raise Blocked(exchange.why)
        answer = answer_of(exchange, options)
        return await ended(step, answer, session, part, wanted, exchanges, until, attempts)
    except Blocked as problem:
        return blocked_step(step, problem.reason, exchanges, masker)
    except Aborted:
        raise
    except Exception as problem:
        return faulty_step(step, problem, exchanges, masker)
    finally:
        scopes.asking = None


def rows_of_database(
    source: DatabaseRows, scopes: Scopes, project: Project, databases: Databases, options: Options
) -> Rows:
    """The rows of a data source, in the thread that asks. Raises Blocked."""
    place, asked = _question(source.database, source.asked, source.most, scopes, project)
    return databases.ask_now(
        source.database, place, asked, source.most, options.timeout_us or DEFAULTS.timeout_us or 0
    )


def _question(
    name: str, asked: Asked, most: int, scopes: Scopes, project: Project
) -> tuple[Place, Statement]:
    """Where is asked, and what. Raises Blocked."""
    database = project.databases.get(name)
    if database is None:
        raise Blocked(no_database(name, project.databases))
    try:
        return _place(database, scopes), statement(
            asked, scopes.fill, "?" if database.kind == "sqlite" else "%s", most
        )
    except Unreadable as said:
        raise Blocked(why("database", database=name, problem=str(said))) from None


async def _asked(
    step: LookUp, options: Options, session: Session, project: Project, databases: Databases
) -> Exchange:
    """Ask once. Raises Blocked where the question cannot be put; what the database does stands in
    the exchange."""
    place, asked = _question(step.database, step.asked, step.most, session.scopes, project)
    if step.changes and not place.may_change:
        raise Blocked(why("may-not-change", database=step.database))
    limit_us = options.timeout_us or DEFAULTS.timeout_us or 0
    begun_us, begun = session.now_us(), time.monotonic_ns()
    body = b""
    problem: Why | None = None
    try:
        rows = await databases.ask(step.database, place, asked, step.most, limit_us)
        body = plain.write_json(rows)
        if len(body) > LARGEST:
            raise Blocked(
                why("database", database=step.database, problem="the rows are larger than 20 MB")
            )
    except Blocked as said:
        body, problem = b"", said.reason
    us = (time.monotonic_ns() - begun) // 1000
    head = b"Content-Type: application/json\r\n\r\n" if problem is None else b""
    return Exchange(
        LOOK_UP,
        step.database,
        b"",
        _shown(asked).encode(),
        0,
        head,
        body,
        body,
        Times(waiting=us, total=us),
        begun_us,
        why=problem,
    )


def _place(database: Database, scopes: Scopes) -> Place:
    user, password = (
        scopes.text(text) if text else "" for text in (database.user, database.password)
    )
    return Place(
        database.kind, scopes.text(database.at), user, password, database.tls, database.may_change
    )


def _shown(asked: Statement) -> str:
    """The statement and the values that were bound, as they are kept."""
    if not asked.values:
        return asked.text
    values = "\n".join(
        f"{number}: {plain.as_text(value)}" for number, value in enumerate(asked.values, 1)
    )
    return f"{asked.text}\n\n{values}"
