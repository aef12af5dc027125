"""Look-ups in databases: real SQLite files and a real PostgreSQL server, by table and by SQL; what
they must never do; what happens to them."""

import json
import resource
import sqlite3
import tempfile
import time
import unittest
from pathlib import Path

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.project import read_project
from saltpath.core.format.reader import read_case
from saltpath.core.running.compiled import CompiledPlan, Destination, compiled
from saltpath.core.running.events import StepFinished
from saltpath.engine.loop import run_in_loop
from saltpath.engine.run import run_plan
from tests.engine.test_secrets import everything_in
from tests.postgres import FOLDERS, PASSWORD, Postgres
from tests.supplies import Given

TABLE = """create table port_call (id text primary key, vessel text, metres numeric,
  nights integer, state text);
insert into port_call values ('PC-1', 'Marrow Finch', 23.40, 2, 'quoted'), ('PC-2', 'Oda Lantern',
  41, 1, 'confirmed'),
 ('PC-3', 'O''Hara''s Pride', 88.2, 3, null);"""
HOSTILE = (
    "x' or '1'='1",
    "'; drop table port_call; --",
    '" or ""="',
    "\\' or 1=1 --",
    "PC-1\x00",
    "%",
    "_",
    "?",
    "%s",
    "$1",
    ":id",
    "\ufeff' or true --",
    "'||(select 'PC-1')||'",
    "/* */ or 1=1",
)


class Looking:
    """Runs the steps of a case against a database, and tells what became of them."""

    root: Path | None = None
    own: Path | None = None

    def look(
        self,
        *steps: str,
        values: dict | None = None,
        more: str = "",
        database: str = "",
        rows: str = "",
        **plan,
    ) -> list:
        head = "salt-path: 1\ncase: A test\nkey: aaaaaaaaaa\n" + (f"rows: {rows}\n" if rows else "")
        text = head + "steps:\n" + "".join(f"  - {step}\n" for step in steps)
        project = read_project(
            "salt-path: 1\nproject: P\nvalues: { pin: { secret: true } }\n"
            f"databases:\n  desk: {{ {database or self.database}{more} }}\n"
        )
        project.values.values.update(values or {})
        events: list = []

        async def walk(selector):
            await run_plan(
                CompiledPlan(
                    (compiled(read_case(text), project=project),),
                    project,
                    seed=1,
                    destinations=(Destination(secrets={"pin": PASSWORD}),),
                    **plan,
                ),
                selector,
                events.append,
                supplies=Given(root=self.root, own_folder=self.own),
            )

        run_in_loop(walk)
        return [event for event in events if isinstance(event, StepFinished)]

    def rows(self, where: str, **more) -> str:
        """The ids that a condition gives, in order."""
        step = (
            f"{{ look up: A, in: desk, rows of: port_call, where: {where}, order by: id, keep: "
            f"{{ ids: '$[*].id' }}, expect: [ {{ of: $, kind: list }} ] }}"
        )
        [done] = self.look(step, **more)
        self.assertIn(done.verdict, ("passed", "blocked"), done.why)
        if done.why is not None:
            return done.why.sentence
        ids = done.kept["ids"]
        return " ".join(ids) if isinstance(ids, list) else ids


class Both(Looking):
    def test_rows_are_checked_and_kept(self):
        first, second = self.look(
            "{ look up: The call, in: desk, rows of: port_call, where: { id: '[=id]' }, expect: [ "
            "{ of: '$[0].state', is: quoted },"
            " { of: '$', count: 1 }, { of: '$[0].metres', is: 23.4 }, { of: time, below: 20 s } "
            "], keep: { vessel: '$[0].vessel' } }",
            "{ look up: Again, in: desk, sql: 'select state, nights from port_call where vessel = "
            "[=vessel]', expect: [ { of: '$[0].nights', is: 2 } ] }",
            values={"id": "PC-1"},
        )
        self.assertEqual(
            (first.verdict, first.kind, first.kept),
            ("passed", "look up", {"vessel": "Marrow Finch"}),
        )
        self.assertEqual(second.verdict, "passed", second.why)
        exchange = first.exchanges[0]
        self.assertEqual((exchange.method, exchange.address), ("LOOK UP", "desk"))
        self.assertIn(b'r."id" = ', exchange.sent_body)
        self.assertTrue(exchange.sent_body.endswith(b"1: PC-1"))
        self.assertIn(b'"vessel":"Marrow Finch"', exchange.body)

    def test_what_a_column_can_be_asked(self):
        for where, ids in (
            ("{ metres: { above: 23.4 } }", "PC-2 PC-3"),
            ("{ metres: { at least: '[=m]' } }", "PC-1 PC-2 PC-3"),
            ("{ nights: { between: [1, 2] } }", "PC-1 PC-2"),
            ("{ nights: { is one of: [1, 3] } }", "PC-2 PC-3"),
            ("{ nights: [3] }", "a list"),
            ("{ id: { is one of: '[=ids]' } }", "PC-1 PC-3"),
            ("{ state: { absent: true } }", "PC-3"),
            ("{ state: { is not: quoted } }", "PC-2 PC-3"),
            ("{ vessel: { contains: Hara } }", "PC-3"),
            ('{ vessel: { starts with: "O\'" } }', "PC-3"),
            ("{ vessel: { contains: '%' } }", "nothing at $[*].id"),
            ("{ id: { is none of: [PC-1, PC-2] }, nights: 3 }", "PC-3"),
            ("{ id: { is none of: [] } }", "PC-1 PC-2 PC-3"),
            ("{ id: { is one of: [] } }", "nothing at $[*].id"),
            ("{ state: { is none of: [] } }", "PC-1 PC-2 PC-3"),
            ("{ id: '[=nobody]' }", "there is no value nobody"),
        ):
            with self.subTest(where):
                self.assertIn(ids, self.rows(where, values={"m": 23.4, "ids": ["PC-1", "PC-3"]}))

    def test_values_are_never_part_of_the_statement(self):
        for value in HOSTILE:
            for step in (
                "{ look up: A, in: desk, rows of: port_call, where: { id: '[=v]' }, expect: [ { "
                "of: $, count: 0 } ] }",
                "{ look up: A, in: desk, rows of: port_call, where: { id: { starts with: '[=v]' } "
                "}, expect: [ { of: $, count: 0 } ] }",
                "{ look up: A, in: desk, sql: 'select * from port_call where id = [=v]', expect: "
                "[ { of: $, count: 0 } ] }",
                "{ look up: A, in: desk, sql: 'select * from port_call where id in ([=list])', "
                "expect: [ { of: $, count: 0 } ] }",
            ):
                with self.subTest(value=value, step=step):
                    [done] = self.look(step, values={"v": value, "list": [value, value]})
                    self.assertTrue(done.verdict == "passed" or "\x00" in value, done.why)
        self.assertEqual(self.rows("{ id: PC-1 }"), "PC-1", "nothing was dropped")

    def test_names_are_never_part_of_the_statement_either(self):
        for name in ('id" = 1 or "id', 'id" IS NULL --', "id%s", "id;", "nobody"):
            where = "{ " + json.dumps(name) + ": x }"
            with self.subTest(where):
                self.assertIn("could not be asked", self.rows(where))

    def test_it_only_reads_unless_it_may_change(self):
        for sql in (
            "delete from port_call",
            "insert into port_call (id) values ('x')",
            "drop table port_call",
            "with a as (select 1) delete from port_call",
            "create table x (a text)",
        ):
            with self.subTest(sql):
                [done] = self.look(f'{{ look up: A, in: desk, sql: "{sql}" }}')
                self.assertEqual((done.verdict, done.why.code), ("blocked", "may-not-change"))
        self.assertEqual(self.rows("{ nights: { above: 0 } }"), "PC-1 PC-2 PC-3")
        change = '{ look up: A, in: desk, sql: "update port_call set nights = 9 where id = [=id]" }'
        [done] = self.look(change, values={"id": "PC-2"}, more=", may change: true")
        self.assertEqual(done.verdict, "unchecked", done.why)
        self.assertEqual(self.rows("{ nights: 9 }"), "PC-2")
        self.look(
            change.replace("nights = 9", "nights = 1"),
            values={"id": "PC-2"},
            more=", may change: true",
        )

    def test_time_and_rows_are_limited(self):
        many = (
            "with recursive n(i) as (select 1 union all select i + 1 from n where i < {}) "
            "select i from n"
        )
        [done] = self.look(f'{{ look up: A, in: desk, sql: "{many.format(2000)}" }}')
        self.assertEqual(
            done.why.sentence, "desk has more than 1000 such rows; ask for fewer, or say most rows"
        )
        [done] = self.look(
            f'{{ look up: A, in: desk, most rows: 3000, sql: "{many.format(2000)}", expect: [ {{ '
            f"of: $, count: 2000 }} ] }}"
        )
        self.assertEqual(done.verdict, "passed", done.why)
        [done] = self.look(
            f'{{ look up: A, in: desk, most rows: 7, sql: "{many.format(2000)}" }}', first_rows=True
        )
        self.assertEqual(
            [row["i"] for row in json.loads(done.exchanges[0].body)], [1, 2, 3, 4, 5, 6, 7]
        )
        count = many.replace("select i from n", "select count(*) as c from n").format(900_000_000)
        [done] = self.look(
            f'{{ look up: A, in: desk, options: {{ timeout: 200 ms }}, sql: "{count}" }}'
        )
        self.assertEqual(
            (done.verdict, done.why.sentence), ("blocked", "desk did not answer within 200 ms")
        )
        self.assertLess(done.us, 3_000_000)

    def test_a_case_runs_over_its_rows(self):
        read = "{ set: { told: '[=row.vessel] [=row.metres]' } }"
        steps = self.look(
            read,
            rows="{ in: desk, rows of: port_call, where: { nights: { above: '[=least]' } }, order "
            "by: -id }",
            values={"least": 1},
        )
        self.assertEqual(
            [(step.row, step.kept["told"]) for step in steps],
            [(1, "O'Hara's Pride 88.2"), (2, self.told("Marrow Finch", "23.40"))],
        )
        steps = self.look(
            read,
            rows="{ in: desk, sql: 'select vessel, metres from port_call where id = [=id]', pick: "
            "1 to 5 }",
            values={"id": "PC-2"},
        )
        self.assertEqual([step.kept["told"] for step in steps], ["Oda Lantern 41"])
        self.assertEqual(self.look(read, rows="{ in: desk, rows of: nothing_there }"), [])

    def told(self, vessel: str, metres: str) -> str:
        return f"{vessel} {metres}"

    def test_a_secret_is_masked_wherever_it_stands(self):
        [done] = self.look(
            "\n    look up: A\n    in: desk\n    sql: |\n      select vessel, [=pin] as pin from "
            "port_call where vessel <> [=pin]\n"
            "    expect: [ { of: '$[0].pin', is: x } ]\n    keep: { pin: '$[0].pin' }\n"
            "    write: { table: t, columns: { pin: '$[0].pin', own: '[=pin]', why: why, verdict: "
            "verdict } }"
        )
        self.assertEqual(done.verdict, "failed", done.why)
        self.assertEqual((done.wrote.cells["own"], done.wrote.cells["pin"]), ("●●●", "●●●"))
        self.assertNotIn(PASSWORD.encode(), everything_in(done))

    def test_it_waits_for_a_row(self):
        [done] = self.look(
            "{ look up: A, in: desk, rows of: port_call, where: { id: PC-9 }, repeat: { until: { "
            "of: $, count: 1 }, every: 50 ms, at most: 1 s } }"
        )
        self.assertEqual((done.verdict, done.attempts > 2), ("failed", True))


class InSQLite(Both, unittest.TestCase):
    def setUp(self) -> None:
        self.root = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.database = "sqlite: harbour.db"
        with sqlite3.connect(self.root / "harbour.db") as made:
            made.executescript(TABLE)
        made.close()

    def test_a_cell_does_not_fill_the_memory(self) -> None:
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        for cell in (
            "hex(zeroblob(300000000))",
            "zeroblob(300000000)",
            "replace(hex(zeroblob(9000000)), '0', '0123')",
        ):
            [done] = self.look(
                f"\n    look up: A\n    in: desk\n    sql: |\n      select {cell} as x"
            )
            self.assertEqual(done.verdict, "blocked", cell)
            self.assertNotEqual(done.why.code, "fault")
        self.assertLess(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, 200_000, "kB")

    def told(self, vessel: str, metres: str) -> str:
        return (
            f"{vessel} {metres.rstrip('0')}"  # SQLite keeps numbers without the zeros at their end
        )

    def test_other_files_are_not_reached(self):
        for sql, said in (
            ("attach database '/tmp/x' as x", "may-not-change"),
            ("pragma table_info(port_call)", "database"),
        ):
            [done] = self.look(f'{{ look up: A, in: desk, sql: "{sql}" }}')
            self.assertEqual(done.why.code, said, done.why.sentence)
        self.own = self.root
        self.assertIn("one of Salt Path's own", self.rows("{ id: PC-1 }"))
        self.own = None
        self.assertIn(
            "there is no file gone.db", self.rows("{ id: PC-1 }", database="sqlite: gone.db")
        )
        self.root = None
        self.assertIn("give the file's whole path", self.rows("{ id: PC-1 }"))


@unittest.skipUnless(FOLDERS, "PostgreSQL is missing")
class InPostgres(Both, unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.server = cls.enterClassContext(Postgres())
        cls.server.run(TABLE)

    def setUp(self) -> None:
        self.database = (
            f"postgres: '127.0.0.1:{self.server.port}/postgres', user: harbour, password: '[=pin]'"
        )

    def test_kinds_of_values(self):
        sql = (
            "select 1318.40::numeric as n, true as b, null as z, date '2026-11-30' as d, '{\"a\": "
            "[1.50]}'::jsonb as j, array[1,2] as l,"
            " '9007199254740993'::bigint as i, '00000000-0000-0000-0000-000000000001'::uuid as u"
        )
        [done] = self.look("\n    look up: A\n    in: desk\n    sql: |\n      " + sql)
        self.assertIn(b'"n":1318.40', done.exchanges[0].body, done.why)
        for piece in (
            b'"b":true',
            b'"z":null',
            b'"d":"2026-11-30"',
            b'"l":[1,2]',
            b'"i":9007199254740993',
            b'"u":"00000000-',
        ):
            self.assertIn(piece, done.exchanges[0].body)

    def test_a_dropped_connection_blocks_with_the_reason(self):
        [done] = self.look(
            "{ look up: A, in: desk, sql: 'select pg_terminate_backend(pg_backend_pid())' }"
        )
        self.assertEqual(done.verdict, "blocked")
        self.assertIn("desk could not be asked: ", done.why.sentence)
        self.assertIn("terminat", done.why.sentence)
        gone = self.database.replace(str(self.server.port), "1")
        self.assertIn("onnection refused", self.rows("{ id: PC-1 }", database=gone))
        wrong = self.database.replace("[=pin]", "wrong")
        self.assertIn("password authentication failed", self.rows("{ id: PC-1 }", database=wrong))

    def test_a_connection_that_was_closed_meanwhile_is_made_anew(self):
        first, second = self.look(
            "{ look up: A, in: desk, sql: 'select pg_backend_pid() as pid', keep: { pid: "
            "'$[0].pid' }, expect: [ { of: $, count: 1 } ] }",
            "{ look up: B, in: desk, rows of: port_call, expect: [ { of: $, count: 3 } ] }",
        )
        self.assertEqual((first.verdict, second.verdict), ("passed", "passed"))

    def test_rows_by_the_million_do_not_fill_the_memory(self):
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        begun = time.monotonic()
        for more in ("", ", may change: true"):
            first, second = self.look(
                "{ look up: A, in: desk, sql: 'select i, repeat(md5(i::text), 20) from "
                "generate_series(1, 3000000) i', most rows: 10 }",
                "{ look up: B, in: desk, sql: 'select 7 as seven', expect: [ { of: '$[0].seven', "
                "is: 7 } ] }",
                more=more,
                first_rows=True,
            )
            self.assertEqual(
                (first.verdict, len(json.loads(first.exchanges[0].body))),
                ("unchecked", 10),
                first.why,
            )
            self.assertEqual(second.verdict, "passed", "the connection is still good")
        self.assertLess(time.monotonic() - begun, 20)
        self.assertLess(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before, 200_000, "kB")

    def test_the_transaction_cannot_be_made_to_write(self):
        for sql in (
            "select set_config('transaction_read_only', 'off', true)",
            "select 1 as a, (select setval('counter', 9))",
        ):
            with self.subTest(sql):
                [done] = self.look("\n    look up: A\n    in: desk\n    sql: |\n      " + sql)
                self.assertEqual(done.verdict, "blocked")


class Reading(unittest.TestCase):
    def test_what_is_no_look_up_is_refused(self):
        for step, said in (
            ("{ look up: A, rows of: x }", "need in:"),
            ("{ look up: A, in: d }", "need rows of"),
            ("{ look up: A, in: d, rows of: x, sql: select 1 }", "need rows of"),
            (
                "{ look up: A, in: d, sql: \"select * from x where id = '[=v]'\" }",
                "cannot stand in quotes",
            ),
            ("{ look up: A, in: d, sql: 'select 1 -- [=v]' }", "cannot stand in a comment"),
            ("{ look up: A, in: d, sql: 'select 1; select 2' }", "one statement"),
            ("{ look up: A, in: d, sql: 'select $$[=v]$$' }", "cannot stand in quotes"),
            (
                "{ look up: A, in: d, rows of: x, where: { id: { abov: 1 } } }",
                "did you mean 'above'",
            ),
            (
                "{ look up: A, in: d, rows of: x, expect: [ { of: status, is: 200 } ] }",
                "status has no meaning for rows",
            ),
            ("{ look up: A, in: d, rows of: x, most rows: 0 }", "from 1 to"),
            ("{ wait: 1 s }\nrows: { in: d, sql: delete from x }", "rows are only read"),
            ("{ wait: 1 s }\nrows: { in: d }", "need rows of"),
        ):
            with self.subTest(step), self.assertRaises(FormatError) as caught:
                read_case(f"salt-path: 1\ncase: A\nsteps:\n  - {step}\n")
            self.assertIn(said, str(caught.exception))
        for database, said in (
            ("{}", "a database is"),
            ("{ sqlite: a, postgres: b }", "a database is"),
            ("{ sqlite: a, user: b }", "no meaning"),
            ("{ postgres: 'a:1/b', tls: perhaps }", "tls is"),
        ):
            with self.subTest(database), self.assertRaises(FormatError) as caught:
                read_project(f"salt-path: 1\nproject: A\ndatabases: {{ d: {database} }}\n")
            self.assertIn(said, str(caught.exception))


if __name__ == "__main__":
    unittest.main()
