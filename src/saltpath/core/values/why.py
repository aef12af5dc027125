"""Why something is as it is: a code with parameters, turned into a sentence only when it is shown.

Outcomes, blocked steps and findings all carry a `Why`. What is stored is the code and the
parameters, so that a sentence can be improved later without touching what was recorded. Every
template is a whole sentence with named places.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any, cast

from msgspec import Struct, field

from saltpath.core.values.errors import SaltPathError
from saltpath.core.values.plain import cut, whole_text

LONGEST_FAULT = 500
TEMPLATES: dict[str, str] = {
    # reading a value
    "nothing-there": "nothing at {path}; {hint}",
    "nothing-there-bare": "nothing at {path}",
    "no-header": "the answer has no header {name}; it has {names}",
    "no-header-near": "the answer has no header {name}; did you mean {near}?",
    "no-cookie": "the answer sets no cookie {name}",
    "not-json": "the body is not JSON: {problem}",
    "not-json-but-marked-up": "the body is not JSON: it begins with <, as XML and HTML do; XPath "
    "looks into XML, such as //name",
    "not-xml": "the body is not XML: {problem}",
    "no-charset": "the body says that its charset is {charset}, which is not known",
    "unreadable": "{problem}",
    "no-match-in-body": "nothing in the body matches {pattern}",
    "not-text": "the body is not text in {charset}",
    "empty-body": "the body is empty, so there is nothing to read at {path}",
    "too-deep": "the body is nested deeper than {levels} levels",
    "path-unreadable": "the path {path} cannot be read: {problem}",
    "path-timeout": "the path {path} was still being evaluated after {ms} ms",
    "no-value": "there is no value {name}; looked in {scopes}{near}",
    "asked-outside": "{reference} can only stand where there is a request or an answer to ask: in "
    "what is expected, or for request.body in a header or a query",
    "cannot-make": "{reference} cannot be made: {problem}",
    "no-shared": "there are no shared steps {name}{near}",
    "shared-circle": "these shared steps lead back to themselves: {chain}",
    "no-input": "the shared steps {shared} have no input {name}; they have {names}",
    "input-missing": "the shared steps {shared} need {name}, which is not given",
    "no-output": "the shared steps {shared} have no output {name}; they have {names}",
    "not-of-kind": "the input {name} is {actual}; the shared steps {shared} need a {kind}",
    "guarded": "{environment} is guarded, and this run was to change nothing there",
    "not-given": "{output} is not given, since {step} was skipped: {problem}",
    "inside": "{step}: {problem}",
    "inside-item": "item {item}, {step}: {problem}",
    "no-list": "for each needs a list; {of} is {actual}",
    "too-many-items": "for each takes at most {most} items; {of} has {actual}",
    "empty-list": "{of} holds no item",
    "no-database": "the project has no database {name}{near}",
    "database": "{database} could not be asked: {problem}",
    "database-slow": "{database} did not answer within {limit}",
    "too-many-rows": "{database} has more than {most} such rows; ask for fewer, or say most rows",
    "may-not-change": "this statement may change something, and {database} is only read; say may "
    "change: true where the database is",
    "common-only": "all {of} rows that {verdict} have {condition}; none of the {others} that "
    "passed has",
    "common-all": "all {of} rows that {verdict} have {condition}; so have {good} of the {others} "
    "that passed",
    "common-most": "{bad} of the {of} rows that {verdict} have {condition}; of the {others} that "
    "passed {good} have",
    "no-source": "there is no data source {name}{near}",
    "source-unreadable": "the rows of {source} cannot be read: {problem}",
    "source-empty": "{source} has no rows",
    "none-picked": "none of the rows of {source} is meant by {pick}",
    "cell-unfit": "{column} is {actual}, which is no {kind}",
    "cell-error": "the cell {cell} ({column}) holds the error {problem}",
    "cell-doubled": "{column} stands twice in one object",
    "cell-letters": "the cell {cell} ({column}) has letters that are not {problem}",
    "cell-formula": "the cell {cell} ({column}) is a formula that was never worked out; open the "
    "file in a spreadsheet program and save it",
    "row-too-wide": "line {line} of the file has {actual} cells, and there are names for {names}",
    "one-cell-of-many": "row {row} is left out as a title; it is one cell that divides into as "
    "many as the rows below have, so that it may be the names",
    "names-over-rows": "names seem to stand in rows {first} to {last}, of which row {row} is taken",
    "texts-over-numbers": "row {row} has texts where those below it have numbers or dates; if it "
    "belongs to the names in row {names}, the data begin below it",
    "several-texts-over-numbers": "rows {first} to {last} have texts where those below have "
    "numbers or dates; if they belong to the names in row {names}, the data begin below them",
    "encoding-guessed": "its letters are taken for {encoding}, and few of them tell",
    "guessed": "a guess about {file}: {problem}; say in its source how it is read if not so",
    "rows-no-list": "rows need a list, and this is {actual}",
    "rows-bad": "{bad} of {rows} rows {verdict}; the first, row {row}: {problem}",
    "rows-bad-one": "row {row} {verdict}: {problem}",
    "value-circle": "the value {name} refers to itself: {chain}",
    # relations
    "differs": "{of}was {actual}, expected {expected}",
    "differs-in-kind": "{of}was {actual}, {actual_kind}; expected {expected}, {expected_kind}",
    "same": "{of}was {actual}, and must not be",
    "not-one-of": "{of}was {actual}, expected one of {expected}",
    "differs-at": "{of}differs at {where}: was {actual}, expected {expected}",
    "lacks": "{of}{actual} does not contain {expected}",
    "starts-otherwise": "{of}{actual} does not start with {expected}",
    "ends-otherwise": "{of}{actual} does not end with {expected}",
    "no-match": "{of}{actual} does not match {expected}",
    "contains": "{of}{actual} contains {expected}, and must not",
    "matches": "{of}{actual} matches {expected}, and must not",
    "not-close": "{of}was {actual}, which is {away} from {value}; expected no more than {within}",
    "no-moment": "{of}was {actual}, {actual_kind}; expected a date or a time",
    "not-before": "{of}was {actual}, expected before {expected}",
    "not-after": "{of}was {actual}, expected after {expected}",
    "not-near": "{of}was {actual}, which is {away} from {expected}; expected no more than {within}",
    "not-of-format": "{of}was {actual}, which is not a {expected}",
    "wrong-length": "{of}has the length {actual}, expected {expected}",
    "not-a-list": "{of}was {actual}, {actual_kind}; only a list can be looked through",
    "twice": "{of}holds {value} twice, as items {first} and {second}",
    "not-sortable": "{of}mixes kinds; only numbers, or only texts, have an order",
    "not-sorted": "{of}is not sorted {direction}: item {first} is {left}, item {second} is {right}",
    "unfit": "{of}does not fit at {where}: {problem}{more}",
    "field-missing": "there is no field {name}{near}",
    "field-extra": "the field {name} is not expected",
    "item-extra": "{actual} is not expected",
    "no-item-fits": "no item is left that fits the expected item {number}, {pattern}",
    "too-many-in-any-order": "lists of more than {most} items are not compared in any order",
    "schema-unusable": "the schema cannot be used: {problem}",
    "schema-timeout": "the schema was still being checked after {ms} ms",
    "condition-false": "its condition does not hold: {problem}",
    "holds-and-must-not": "{check} holds, and must not",
    "none-holds": "none of these holds; the first: {first}",
    "no-items": "{of}has no items to look at",
    "part": "{check}: {problem}",
    "of-item": "{item}: {problem}",
    "taken-as-measure": "taken as the measure: there was no passing answer to compare with",
    "no-measure": "there is no passing answer to compare with here",
    "not-as-before": "{of}was {actual}, and {expected} at the last pass",
    "until-never": "this never held within {limit}, in {attempts} attempts: {problem}",
    "step-condition": "its condition does not hold: {problem}",
    "pattern-unreadable": "the pattern {pattern} cannot be read: {problem}",
    "pattern-timeout": "the pattern {pattern} was still searching after {ms} ms",
    "not-above": "{of}was {actual}, expected above {expected}",
    "not-below": "{of}was {actual}, expected below {expected}",
    "not-at-least": "{of}was {actual}, expected at least {expected}",
    "not-at-most": "{of}was {actual}, expected at most {expected}",
    "not-between": "{of}was {actual}, expected between {low} and {high}",
    "no-number": "{of}was {actual}, {actual_kind}; only a number can be compared with {expected}",
    "expected-no-number": "{expected} is {expected_kind}; {relation} needs a number",
    "no-text": "{of}was {actual}, {actual_kind}; {relation} needs text",
    "number-too-long": "a number with more than 1,000 digits or an exponent beyond 400 is not "
    "compared",
    "is-there": "{path} is there, and was expected to be absent",
    "not-empty": "{of}was {actual}, expected it to be empty",
    "is-empty": "{of}was empty, expected something in it",
    "wrong-kind": "{of}was {actual}, {actual_kind}; expected {expected}",
    "wrong-count": "{of}counts {actual}, expected {expected}",
    "not-countable": "{of}was {actual}, {actual_kind}; only a list, an object or text can be "
    "counted",
    "expected-unfit": "{relation} cannot work with {expected}: {problem}",
    "any-none": "none of {count} places holds; the first: {first}",
    # carrying out
    "set-up": "the suite could not be set up: “{case}” {did}: {problem}",
    "not-up": "{host} did not answer within {limit}, so that nothing was begun: {problem}",
    "refused": "{host} refused the connection on port {port}; nothing listens there",
    "no-host": "there is no host named {host}",
    "timed-out": "no complete answer within {limit}",
    "timed-out-connecting": "no connection to {host} within {limit}",
    "cut": "the connection was cut {when}",
    "not-http": "what came back from {host} is not HTTP",
    "tls": "no secure connection to {host}: {problem}",
    "too-large": "the answer is larger than {limit}",
    "headers-too-large": "the answer's headers are larger than {limit}",
    "bad-encoding": "the body says it is {encoding}, and is not: {problem}",
    "unknown-encoding": "the body is encoded as {encoding}, which this version cannot read",
    "redirect-loop": "the redirects go in a circle at {address}",
    "redirect-many": "more than {limit} redirects, the last to {address}",
    "redirect-nowhere": "a redirect to {address}, where Salt Path does not go: {problem}",
    "never-holds": "{check} can never hold: {what}",
    "never-fails": "{check} can never fail: {what}",
    "seen-never-holds": "{what}, so {check} cannot hold",
    "seen-never-fails": "{what}, so {check} cannot fail",
    "unfilled": "{place} in the address waits for a value; a brace that is meant is written %7B",
    "address-unreadable": "the address {address} cannot be used: {problem}",
    "header-break": "the header {name} would hold a line break or a control character",
    "host-characters": "{value} holds characters that a host name cannot have",
    "not-in-xml": "{reference} holds a character that XML cannot hold",
    "no-file": "the file {path} cannot be read: {problem}",
    "oauth2": "no token from {address}: {problem}",
    "digest": "the sign-in was not understood: {problem}",
    "null-inserted": "{name} is null, which can only stand in JSON; give it a default",
    "pipe": "{pipe} cannot work on {value}: {problem}",
    "keep-nothing": "nothing to keep as {name}: {problem}",
    "nothing-handed-over": "answered {status}, nothing handed over",
    "cleanup-answered": "answered {status}, so this was not done",
    "failed-exchange": "the request could not be carried out: {problem}",
    "not-begun": "the run could not begin: {problem}",
    "interrupted": "interrupted: it was begun and could not go on",
    "not-known": "{step} was interrupted before it; whether it was reached is not known, and it "
    "is not sent again",
    "stopped": "stopped by {by}",
    "stopped-at-row": "stopped by {by} after {rows} rows; the others were not carried out",
    "not-recorded": "{recorded} of {planned} {of} were recorded; what became of the others is not "
    "known",
    "not-reached": "not reached: {step} {verdict}",
    "switched-off": "switched off",
    "judged-later": "this path is judged when the case runs next",
    "masked": "what is masked cannot be judged again; it is judged when the case runs next",
    "fault": "Salt Path itself made a mistake here: {problem}",
    "header-unread": "{name} cannot be read and was passed over: {value}",
    "redirect-with-body": "answered {status} to {address}, another host; the body is sent there "
    "only where options say trust redirects to: [{host}]",
    "redirect-here": "a redirect to {address} leads to Salt Path itself, and is not followed",
    "reach-own": "{host} is Salt Path itself at this port, which is not asked",
    "reach-special": "{host} is where machines find their own settings, or many machines listen; "
    "that is not asked",
    "reach-nearby": "{host} is on this machine or in a private network; an administrator decides "
    "whether those are asked (Setup, This installation)",
    "reach-denied": "{host} is on the list of what is not asked (Setup, This installation)",
    "reach-only": "{host} is not on the list of what may be asked (Setup, This installation)",
    "evidence-gone": "what this step saw is not kept any more, or cannot be read: {problem}",
    "memory": "this needs more memory than a runner may have",
    "stored-unread": "it was stored and cannot be read: {problem}",
    "not-kept": "what this step saw could not be kept: {problem}",
    # what several answers have shown
    "sometimes-there": "it was there in {present} of the last {answers} answers",
    "several-kinds": "it was {kinds} in the last {answers} answers",
    "varied": "{values} different values in the last {answers} answers",
    "made-anew": "it looks like {what}, which each answer has anew",
    # why a check is proposed
    "proposed-sent": "it was what was sent in {answers} of {answers} answers, {values} different "
    "values",
    "proposed-constant": "the same in {answers} of {answers} answers",
    "proposed-few": "one of {values} values in {answers} of {answers} answers, each in {least} of "
    "them at least",
    "proposed-format": "a {form} in {answers} of {answers} answers, {values} different ones",
    "proposed-form": "of this form in {answers} of {answers} answers, {values} different ones",
    "proposed-limits": "between {low} and {high} in {answers} of {answers} answers; the limits "
    "are wider, and round",
    "proposed-kind": "{kind} in {answers} of {answers} answers",
    # why an exchange of a recording is not proposed for a case
    "recorded-unanswered": "it was never answered",
    "recorded-preflight": "the browser asked for itself whether it may",
    "recorded-elsewhere": "it went to {host}, not to {site}",
    "recorded-stream": "it is a stream of events that does not end",
    "recorded-file": "it is a file of the page ({what})",
    "recorded-page": "it is a page, not data",
    "recorded-no-body": "its body ({what}) is not in the recording: choose it, and give the body "
    "in its step",
    "recorded-sets": "later requests send what it sets: {names}",
    "recorded-holds": "later requests send what it holds: {names}",
    "recorded-hop": "entry {entry} leads here by itself",
    "recorded-again": "it is the same as entry {entry}, and was answered the same",
    # what is wrong with a case before it runs
    "used-before-kept": "{name} is used here, and kept only later, in step {step} ({title})",
    "kept-nowhere": "there is no value {name}{near}",
    "unused-keep": "{name} is kept, and nothing uses it",
    "no-checks": "nothing is checked in this step",
    "hard-coded-address": "the address {address} is written out; a value could stand for it",
    "signs-in-early": "the {origin} signs in with {name}, which is not kept before this step: "
    "this one had better not sign in",
    "signed-elsewhere": "the sign-in of the {origin} goes to {place}, too, and most go to "
    "{usual}: this one had better not sign in, or say its own",
    "secret-in-text": "{name} looks like a secret and is written out; mark it as a secret value",
    "own-answer": "{name} is kept only at the end of this very step; its request and its checks "
    "cannot use it",
}


class Why(Struct, frozen=True):
    """A reason: `code` names a template above, `params` fill its places (JSON values only)."""

    code: str
    params: Mapping[str, Any] = field(default_factory=dict)

    @property
    def sentence(self) -> str:
        template = TEMPLATES.get(self.code)
        if template is None:
            return self.code
        return template.format_map(_Lenient(self.params))

    @property
    def wanted(self) -> str:
        """What was expected, in the sentence's words; empty where it does not say."""
        _, _, tail = TEMPLATES.get(self.code, "").partition("expected ")
        return tail.format_map(_Lenient(self.params))

    def about(self, subject: str) -> Why:
        """The same reason with its subject said: "$.fee.total was 3, expected 4"."""
        return Why(self.code, {**self.params, "of": subject + " "})

    def to_json(self) -> dict[str, Any]:
        return {"code": self.code, "params": dict(self.params)}


class _Lenient(dict[str, Any]):
    """A parameter that an older record lacks shows as its name, not as an error. `of`, the subject
    that a step's reason speaks of, is left out beside the check itself."""

    def __missing__(self, key: str) -> str:
        return "" if key == "of" else f"({key})"


def why(code: str, **params: Any) -> Why:
    """A reason; texts that UTF-8 cannot hold stand escaped in it, so that it can be kept and
    shown."""
    return Why(
        code,
        {name: whole_text(item) if type(item) is str else item for name, item in params.items()},
    )


def fault(problem: BaseException) -> Why:
    """The reason of what only Salt Path itself can be blamed for, or its memory."""
    if isinstance(problem, MemoryError):
        return why("memory")
    return why("fault", problem=cut(f"{type(problem).__name__}: {problem}", LONGEST_FAULT))


if TYPE_CHECKING:

    class MaskedWhy(Why, frozen=True):
        """A reason in which no secret stands: what leaves the engine has only such (see
        engine/masking.py)."""

else:
    MaskedWhy = Why


def as_masked(reason: Why) -> MaskedWhy:
    """The same reason, told to the type checker as one in which no secret stands. Masks nothing:
    whoever calls it knows."""
    return cast("MaskedWhy", reason)


def said(code: str, **params: Any) -> MaskedWhy:
    """A reason made of words of our own and of names that a tester gave, in which no secret can
    stand."""
    return as_masked(why(code, **params))


class Blocked(SaltPathError):
    """Raised inside core and engine when a step cannot be carried out; carries the reason."""

    code = "not-understood"

    def __init__(self, reason: Why) -> None:
        super().__init__(reason.sentence)
        self.reason = reason
