"""The words of the format with what each is for, as completion and hover in the Text view show
them."""

from __future__ import annotations

from collections.abc import Iterator

from saltpath.core.answers import subjects
from saltpath.core.checks import loose, relations
from saltpath.core.references import generators, pipes
from saltpath.core.values import text_formats

KEYS: dict[str, str] = {
    "salt-path": "the version of the format: 1",
    "case": "the case's name: what it shows",
    "about": "what it is about, in a sentence",
    "key": "identity, written by Salt Path",
    "register": "the case's id in the team's own register",
    "tags": "words to find it by",
    "values": "values by name, for [=name]",
    "values in": "a suite's values as they read in an environment: Live: { agent: desk }",
    "rows": "where rows come from; the steps run once for each: the name of a source, a file, or "
    "rows written out",
    "sources": "data sources by name, for a case's rows",
    "source": "the name of a data source, or a file",
    "sheet": "which sheet of a workbook",
    "names in": "the row that has the columns' names; 0: none does",
    "data in": "where the data stand, such as A2:F40, or A2:F to the last row",
    "delimiter": "what divides cells, such as ; or tab",
    "quote": "what stands around cells; none: nothing does",
    "encoding": "of the file's letters, such as utf-8 or latin-1",
    "decimal": "a comma, where numbers have one",
    "comments": "what a line of CSV begins with that is left out, such as #",
    "path": "where the list stands in a JSON file, such as $.items",
    "columns": "of a file: kinds by name, such as length: number; of rows that are made: how each "
    "is made",
    "make": "how many rows are made",
    "combine": "all, pairwise or { sample: 50 }: how the columns' values are combined",
    "output table": "rows that steps have written: of this run, or of the newest that wrote there",
    "items of": "a list that a step of once kept; each item is a row",
    "pick": "which rows: 1 to 20, every 10th, sample 50, where length above 90",
    "options": "how exchanges are carried out",
    "on failure": "stop, or: go on",
    "every answer": "checks on every answer",
    "once": "steps before everything; what they keep, every row sees",
    "steps": "the steps, in order",
    "afterwards": "steps after each row, whatever happened",
    "at the end": "steps after all rows, whatever happened",
    "request": "a request step, by its name",
    "look up": "rows that are looked up in a database, by the step's name",
    "in": "which database of the project",
    "rows of": "the table whose rows are looked up",
    "where": 'what must hold of its columns: { id: "[=portCallId]", length: { above: 90 } }',
    "order by": "by which columns the rows are sorted; -length: the other way round",
    "sql": "one statement; a reference in it is bound as a value: select * from port_call where "
    "id = [=portCallId]",
    "most rows": "how many rows at most; 1000 unless it is said",
    "write": 'a row of an output table: { table: quotes, columns: { vessel: "[=row.vessel]", fee: '
    "$.fee.total } }",
    "table": "the name of an output table",
    "databases": "databases by name, for look-ups",
    "sqlite": "the path of a SQLite file",
    "postgres": "where a PostgreSQL database stands: host:5432/name",
    "user": "who signs in to it",
    "password": "with which password",
    "tls": "off, require or verify",
    "may change": "true: statements that change something are allowed",
    "set": "values computed here, by name",
    "wait": "a pause, such as 2 s",
    "shared": "steps that many cases use, by the name of their file",
    "with": "what their inputs are, by name",
    "gives": "which of their outputs is kept here, under which name",
    "inputs": "what they are given, by name: { kind: text, default: agent }",
    "outputs": "what they give, by name, such as token: [=kept.token]",
    "kind": "of an input or a column: text, number, integer, boolean, list or object; of a column "
    "also date or date-time",
    "default": "what an input is where a caller gives none",
    "as": "the name of an item; nearest of all",
    "off": "true: switched off, visibly",
    "send": "METHOD address, such as GET [=harbour]/berths",
    "query": "the query, names and values",
    "headers": "the headers, names and values",
    "auth": "how it signs in: bearer, basic, digest, key or oauth2; of a case, suite or project: "
    "how every step does; none: this one does not",
    "bearer": "a token",
    "basic": "[user, password]",
    "digest": "[user, password]; the password is not sent (RFC 7616)",
    "oauth2": "{ token url, client id, client secret, scope }: client credentials (RFC 6749)",
    "json": "a JSON body: a text, or plain YAML",
    "xml": "an XML body, references escaped for where they stand",
    "text": "a text body, or a part's text",
    "form": "a urlencoded body, names and values",
    "multipart": "a body of several parts: name, text or file, type",
    "file": "a file of the project as the body",
    "type": "the body's media type",
    "only if": "checks of values; if they do not hold, the step is skipped",
    "repeat": "{ until: checks, every: 1 s, at most: 20 s }",
    "until": "checks; the request is sent again until they hold",
    "every": "how long to wait between attempts",
    "at most": "no attempt starts after that; as a relation: that much or less",
    "without": "notes of checks on every answer that do not hold here",
    "expect": "checks of the answer",
    "keep": "values to keep of the answer: name: subject",
    "of": "what a check or a keep looks at",
    "any": "true: one node that holds is enough",
    "advice": "true: shown, does not count",
    "note": "the check's name in reports",
    "secret": "true: shown nowhere",
    "when": "if these checks hold, those under then must",
    "then": "what must hold then",
    "otherwise": "what must hold if not",
    "any of": "at least one of these checks must hold",
    "all of": "all of these checks must hold",
    "none of": "none of these checks may hold",
    "for each": "a check: every item of this list is looked at; a step: the steps run once for "
    "each item",
    "may be empty": "true: no item at all is fine",
    "timeout": "for a whole exchange, such as 5 s",
    "follow redirects": "false: a redirect is the answer",
    "verify tls": "false: any certificate will do",
    "largest body": "decoded, such as 10 MB",
    "retries": "how often a blocked exchange is tried again",
    "at once per host": "how many requests one host gets side by side",
    "per second": "how many requests one host gets in a second",
    "retry after": "the pause before that",
    "cookies": "false: cookies are not sent back",
    "fresh connection": "true: a connection for this exchange alone",
    "client certificate": "a PEM file of the project, or { file, key, password }",
    "proxy": "the address of an HTTP proxy",
    "namespaces": "prefixes for XPath",
    "trust redirects to": "hosts to which a redirect may carry headers, sign-in and body",
}


def words() -> Iterator[dict[str, str]]:
    """`{kind, text, about}`: keys, relations, subjects, pipes, generators, loose values and
    formats."""
    for text, about in KEYS.items():
        yield {"kind": "key", "text": text, "about": about}
    for relation in relations.TABLE.values():
        yield {"kind": "relation", "text": relation.name, "about": relation.about}
    for subject in subjects.KINDS.values():
        yield {"kind": "subject", "text": subject.shape, "about": subject.about}
    for pipe in pipes.KINDS.values():
        yield {"kind": "pipe", "text": pipe.shape, "about": pipe.about}
    for generator in generators.KINDS.values():
        yield {"kind": "generator", "text": generator.example, "about": generator.about}
    for kind in loose.KINDS.values():
        yield {"kind": "loose", "text": kind.example[0], "about": kind.about}
    for form in text_formats.FORMATS.values():
        yield {
            "kind": "format",
            "text": form.name,
            "about": f"text as in {form.source}, such as {form.example}",
        }
