"""Two sessions on one case, every kind of field: what one saved is never overwritten by a field
that changed nothing, and what was typed stays until a person has decided. Seeded."""

import random
import sys
import unittest
from collections.abc import Callable
from typing import Any, NamedTuple

from playwright.sync_api import Locator, expect

from tests.browser.page import BrowserTest

SEED = 1804
PAIRS = 20
"""So many of all; `python -m tests.browser.test_two_sessions` takes each."""
CASE = {
    "salt-path": 1,
    "case": "Two sessions",
    "register": "BERTH-1",
    "tags": ["tide"],
    "values": {"port": "east"},
    "steps": [
        {
            "request": "Ask for a fee",
            "key": "fee001",
            "send": "POST [=harbour]/fee-quotes?a=1",
            "query": {"b": "1"},
            "headers": {"X-A": "1"},
            "auth": {"bearer": "one"},
            "json": '{ "nights": 1 }',
            "options": {"timeout": "1 s"},
            "expect": [{"of": "status", "is": 200}],
            "keep": {"fee": "$.one"},
        },
    ],
}
Put = Callable[[dict[str, Any], str], None]


def _in_step(field: str) -> Put:
    return lambda document, value: document["steps"][0].__setitem__(field, value)


class Field(NamedTuple):
    """A field: its label, how it is written for a value, what the document has there for it, and
    how that is put there."""

    label: str
    written: Callable[[str], str]
    held: Callable[[dict[str, Any]], str]
    put: Put
    lines: bool = False
    body: bool = False


FIELDS = [
    Field(
        "The case's id in your own register",
        lambda v: f"BERTH-{v}",
        lambda d: d["register"],
        lambda d, v: d.__setitem__("register", f"BERTH-{v}"),
    ),
    Field(
        "The case's tags",
        lambda v: f"tide, t{v}",
        lambda d: ", ".join(d["tags"]),
        lambda d, v: d.__setitem__("tags", ["tide", f"t{v}"]),
    ),
    Field(
        "What port reads as in this case",
        lambda v: f"east{v}",
        lambda d: d["values"]["port"],
        lambda d, v: d["values"].__setitem__("port", f"east{v}"),
    ),
    Field(
        "The method and the address",
        lambda v: f"POST [=harbour]/fee-quotes?a={v}",
        lambda d: d["steps"][0]["send"],
        lambda d, v: _in_step("send")(d, f"POST [=harbour]/fee-quotes?a={v}"),
    ),
    Field(
        "The query, a line each: name = value",
        lambda v: f"b = {v}",
        lambda d: f"b = {d['steps'][0]['query']['b']}",
        lambda d, v: d["steps"][0]["query"].__setitem__("b", v),
        lines=True,
    ),
    Field(
        "The headers, a line each: Name: value",
        lambda v: f"X-A: {v}",
        lambda d: f"X-A: {d['steps'][0]['headers']['X-A']}",
        lambda d, v: d["steps"][0]["headers"].__setitem__("X-A", v),
        lines=True,
    ),
    Field(
        "How it signs in",
        lambda v: f"bearer n{v}",
        lambda d: f"bearer {d['steps'][0]['auth']['bearer']}",
        lambda d, v: _in_step("auth")(d, {"bearer": f"n{v}"}),
    ),
    Field(
        "The options",
        lambda v: f"timeout: {v} s",
        lambda d: f"timeout: {d['steps'][0]['options']['timeout']}",
        lambda d, v: _in_step("options")(d, {"timeout": f"{v} s"}),
        lines=True,
    ),
    Field(
        "The body",
        lambda v: f'{{ "nights": {v} }}',
        lambda d: d["steps"][0]["json"],
        lambda d, v: _in_step("json")(d, f'{{ "nights": {v} }}'),
        lines=True,
        body=True,
    ),
    Field(
        "What is kept as fee",
        lambda v: f"$.fee{v}",
        lambda d: d["steps"][0]["keep"]["fee"],
        lambda d, v: d["steps"][0]["keep"].__setitem__("fee", f"$.fee{v}"),
    ),
]


class TwoSessions(BrowserTest):
    pairs = PAIRS

    def setUp(self) -> None:
        super().setUp()
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]["id"]
        asked = {"project": self.app.project, "suite": suite, "document": CASE}
        self.id = self.app.ask("POST", "/cases", asked)[2]["id"]
        self.go(f"/cases/{self.id}")
        self.page.get_by_role("heading", name="Two sessions").wait_for()
        self.page.locator(".step.open").wait_for()
        self.chance = random.Random(SEED)
        self.number = 10

    def document(self) -> dict[str, Any]:
        return self.app.get(f"/cases/{self.id}")["document"]

    def value(self) -> str:
        self.number += 1
        return str(self.number)

    def other_saves(self, change: Callable[[dict[str, Any]], None], seen: bool = True) -> None:
        """Somebody else's save, on what stands now; `seen`: it is on the page before anything else
        is done."""
        now = self.app.get(f"/cases/{self.id}")
        document = now["document"]
        about = document["about"] = f"About {self.value()}"
        change(document)
        status, _, said = self.app.ask(
            "PUT", f"/cases/{self.id}", {"document": document}, If_Match=f'"{now["version"]}"'
        )
        self.assertEqual(status, 200, said)
        if seen:
            self.page.get_by_role("button", name=about, exact=True).wait_for()

    def opened(self, field: Field) -> Locator:
        self.page.get_by_title(field.label, exact=True).first.click()
        return self.box(field)

    def box(self, field: Field) -> Locator:
        if field.body:
            box = self.page.locator(".cm-content")
            expect(box).to_be_focused()
            return box
        return self.page.get_by_label(field.label, exact=True).and_(
            self.page.locator("input, textarea")
        )

    def type_into(self, box: Locator, field: Field, text: str) -> None:
        if field.body:
            self.page.keyboard.press("Control+a")
            self.page.keyboard.insert_text(text)
        else:
            box.fill(text)

    def leave(self) -> None:
        self.page.locator("h1").click()

    def closed(self, field: Field) -> None:
        expect(
            self.box(field) if not field.body else self.page.locator(".cm-content")
        ).to_have_count(0)

    def stands(self, field: Field, value: str) -> None:
        self.app.wait(lambda: field.held(self.document()) == field.written(value))

    def nothing_typed(self, field: Field) -> None:
        """Opened, and left without a change, while somebody else saved another one: theirs
        stays."""
        self.opened(field)
        theirs = self.value()
        self.other_saves(lambda document: field.put(document, theirs))
        self.leave()
        self.closed(field)
        self.page.wait_for_timeout(150)
        self.stands(field, theirs)

    def both_typed(self, field: Field) -> None:
        """Typed here and saved there: both stand, until it is said which; also where theirs is not
        seen here yet."""
        box = self.opened(field)
        mine, theirs = self.value(), self.value()
        self.type_into(box, field, field.written(mine))
        seen = self.chance.random() < 0.7
        self.other_saves(lambda document: field.put(document, theirs), seen)
        self.leave()
        in_field = self.page.get_by_role("alert").filter(has_text="changed elsewhere meanwhile")
        said = (
            in_field
            if seen
            else in_field.or_(self.page.get_by_role("region", name="Changed here and elsewhere"))
        )
        expect(said).to_contain_text(theirs)
        self.stands(field, theirs)
        if seen and field.body:
            expect(self.page.locator(".cm-content")).to_have_text(field.written(mine))
        elif seen:
            expect(box).to_have_value(field.written(mine))
        stays = self.chance.random() < 0.5
        said.get_by_role("button", name="Put mine there" if stays else "Leave theirs").click()
        self.closed(field)
        self.stands(field, mine if stays else theirs)

    def left_by_escape(self, field: Field) -> None:
        before = field.held(self.document())
        self.type_into(self.opened(field), field, field.written(self.value()))
        self.page.keyboard.press("Escape")
        self.closed(field)
        self.page.wait_for_timeout(150)
        self.assertEqual(field.held(self.document()), before)

    def other_place(self, field: Field) -> None:
        """Kept by Ctrl Enter, or Enter, while another place was changed: both are there, and
        nothing was sent."""
        runs = len(self.app.get(f"/runs?project={self.app.project}&limit=1000")["items"])
        mine, note = self.value(), self.value()
        self.type_into(self.opened(field), field, field.written(mine))
        self.other_saves(
            lambda document: document["steps"][0].__setitem__(
                "expect", [{"of": "status", "below": int(note)}]
            )
        )
        self.page.keyboard.press(
            "Control+Enter" if field.lines or self.chance.random() < 0.5 else "Enter"
        )
        self.closed(field)
        self.stands(field, mine)
        self.assertEqual(
            self.document()["steps"][0]["expect"], [{"of": "status", "below": int(note)}]
        )
        self.page.wait_for_timeout(150)
        self.assertEqual(
            len(self.app.get(f"/runs?project={self.app.project}&limit=1000")["items"]), runs
        )

    def test_every_kind_of_field(self):
        ways = [self.nothing_typed, self.both_typed, self.left_by_escape, self.other_place]
        pairs = [(field, way) for field in FIELDS for way in ways]
        self.chance.shuffle(pairs)
        pairs = pairs[: self.pairs]
        for field, way in pairs:
            with self.subTest(field=field.label, way=way.__name__):
                way(field)
        print(
            f"counted: {len(pairs)} pairs of sessions in {len(FIELDS)} kinds of fields",
            file=sys.__stdout__,
        )
        self.said = [line for line in self.said if "412" not in line]

    def test_a_check_that_is_typed_while_it_is_changed_elsewhere(self):
        self.page.get_by_role("button", name="status is 200", exact=True).click()
        field = self.page.get_by_label("Change the check status is 200")
        field.fill("status is 204")
        self.other_saves(
            lambda document: document["steps"][0].__setitem__(
                "expect", [{"of": "status", "is": 201}]
            )
        )
        self.page.get_by_role("button", name="status is 201", exact=True).wait_for()
        expect(field).to_have_value("status is 204")
        self.page.get_by_text("was changed or taken away elsewhere meanwhile").wait_for()
        self.assertEqual(self.axe(), [])
        field.press("Enter")
        self.page.get_by_role("button", name="status is 204", exact=True).wait_for()
        both = [{"of": "status", "is": 201}, {"of": "status", "is": 204}]
        self.app.wait(lambda: self.document()["steps"][0]["expect"] == both)

    def test_a_place_that_is_gone(self):
        """A kept value is called otherwise, then the whole step is taken away, while something is
        typed there."""
        keep = FIELDS[-1]
        self.type_into(self.opened(keep), keep, "$.typed.here")
        self.other_saves(
            lambda document: document["steps"][0].__setitem__("keep", {"cost": "$.one"})
        )
        left = self.page.get_by_role("region", name="Typed here, and its place is gone")
        left.get_by_text("$.typed.here").wait_for()
        left.get_by_role("button", name="It is not needed").click()
        expect(left).to_have_count(0)
        self.type_into(self.opened(FIELDS[3]), FIELDS[3], "GET [=harbour]/typed")
        other = {"request": "Another", "key": "oth001", "send": "GET [=harbour]/tides"}
        self.other_saves(lambda document: document.__setitem__("steps", [other]))
        left.get_by_text("GET [=harbour]/typed").wait_for()
        self.assertEqual(self.axe(), [])

    def test_the_text_view_does_not_take_back_what_another_saved(self):
        self.go(f"/cases/{self.id}?view=text")
        editor = self.page.locator(".cm-content")
        editor.get_by_text("case: Two sessions").wait_for()
        editor.get_by_text("case: Two sessions").click()
        self.page.keyboard.press("End")
        self.page.keyboard.type(" again", delay=5)
        now = self.app.get(f"/cases/{self.id}")
        now["document"]["steps"][0]["json"] = '{ "nights": 77 }'
        self.app.ask(
            "PUT",
            f"/cases/{self.id}",
            {"document": now["document"]},
            If_Match=f'"{now["version"]}"',
        )
        self.app.wait(lambda: self.document()["case"] == "Two sessions again")
        self.page.wait_for_timeout(1000)
        self.assertEqual(self.document()["steps"][0]["json"], '{ "nights": 77 }')
        self.said = [line for line in self.said if "412" not in line]


if __name__ == "__main__":
    TwoSessions.pairs = len(FIELDS) * 4
    unittest.main()
