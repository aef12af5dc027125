"""Whatever a request asks for: bodies, sign-ins, cookies, options, conditions, repeating, and the
steps around the rows."""

import hashlib
import tempfile
import unittest
from pathlib import Path

from saltpath.core.values import plain
from saltpath.core.values.why import Blocked, why
from tests.harbour import case, run_text

FILES = {"data/plan.pdf": b"%PDF-1.7 \x00\xff plan", "notes.txt": b"moor twice"}


def read_file(path: str) -> bytes:
    if path not in FILES:
        raise Blocked(why("no-file", path=path, problem="there is no such file"))
    return FILES[path]


def run(steps: str, more: str = "", **given):
    return run_text(case(steps, more), read_file=read_file, **given).cases[0]


def body(step) -> dict:
    return plain.read_json(step.exchanges[-1].body)


class Bodies(unittest.TestCase):
    def test_xml_keeps_its_structure_whatever_is_inserted(self):
        for goods in (
            "herring",
            "</item><item>",
            "a & b",
            "\"quoted\" 'twice'",
            "]]>",
            "<!-- -->",
            "line\nbreak",
        ):
            for template in (
                '<item tonnes="1.5">[=goods]</item>',
                '<item tonnes="1" class="[=goods]">x</item>',
                "<item tonnes='2' class='[=goods]'>x</item>",
                "<item tonnes='2'><![CDATA[[=goods]]]></item>",
            ):
                with self.subTest(goods, template=template):
                    done = run(
                        f"""\
  - request: Declare
    send: POST [=harbour]/cargo
    headers: {{ SOAPAction: "urn:fernholm:declare" }}
    xml: |
      <s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/"><s:Body>
      <declaration xmlns="urn:fernholm:cargo">{template}</declaration></s:Body></s:Envelope>
    options: {{ namespaces: {{ c: "urn:fernholm:cargo" }} }}
    expect:
      - {{ of: status, is: 200 }}
      - {{ of: "count(//c:item)", is: 1 }}
      - {{ of: //c:receipt/@number, starts with: CD- }}
      - {{ of: //c:tonnes, at least: 1 }}
""",
                        goods=goods,
                    )
                    self.assertEqual(done.verdict, "passed", done.why and done.why.sentence)
                    self.assertIn(
                        b"Content-Type: text/xml; charset=utf-8",
                        done.steps[0].exchanges[0].sent_head,
                    )

    def test_what_xml_cannot_hold_blocks(self):
        done = run(
            "  - { request: a, send: 'POST [=harbour]/cargo', xml: '<a>[=x]</a>' }\n", x="\x01"
        )
        self.assertEqual(done.steps[0].why.code, "not-in-xml")

    def test_soap_1_2_and_its_faults(self):
        done = run("""\
  - request: Declare
    send: POST [=harbour]/cargo
    headers: { Content-Type: 'application/soap+xml; charset=utf-8; action="urn:fernholm:declare"' }
    xml: |
      <e:Envelope xmlns:e="http://www.w3.org/2003/05/soap-envelope"><e:Body>
      <declaration xmlns="urn:fernholm:cargo"><item tonnes="3" dangerous="true">flares</item>
      </declaration></e:Body></e:Envelope>
    expect:
      - { of: status, is: 400 }
      - { of: type, is: application/soap+xml }
      - { of: //soap:Fault/soap:Reason/soap:Text, contains: has no class }
""")
        self.assertEqual(done.verdict, "passed", done.why and done.why.sentence)

    def test_parts_and_files(self):
        done = run(
            """\
  - request: Papers
    send: POST [=harbour]/papers
    multipart:
      - { name: about, text: "the papers of [=vessel]" }
      - { name: 'a "plan"', file: data/plan.pdf }
      - { name: notes, file: "[=which]", type: text/markdown }
    expect: [ { of: status, is: 201 }, { of: "$.parts[*]", count: 3 } ]
  - request: A file
    send: PUT [=harbour]/papers/plan
    file: data/plan.pdf
    expect: [ { of: $.size, is: 16 }, { of: $.type, is: application/pdf } ]
""",
            vessel="Tern & Daughter",
            which="notes.txt",
        )
        self.assertEqual(done.verdict, "passed", done.why and done.why.sentence)
        parts = body(done.steps[0])["parts"]
        self.assertEqual([part["file"] for part in parts], [None, "plan.pdf", "notes.txt"])
        self.assertEqual(
            [part["type"] for part in parts], ["text/plain", "application/pdf", "text/markdown"]
        )
        self.assertEqual(parts[1]["sha256"], hashlib.sha256(FILES["data/plan.pdf"]).hexdigest())
        self.assertEqual(parts[0]["size"], len("the papers of Tern & Daughter"))

    def test_a_file_that_is_not_there_blocks(self):
        done = run("  - { request: a, send: 'PUT [=harbour]/papers/x', file: data/gone.bin }\n")
        self.assertEqual(done.steps[0].why.code, "no-file")

    def test_files_never_lead_outside_the_project(self):
        from saltpath.formats.project_files import file_reader

        with tempfile.TemporaryDirectory() as folder:
            root = Path(folder) / "project"
            (root / "data").mkdir(parents=True)
            (root / "data/a.txt").write_text("a")
            (Path(folder) / "secret.txt").write_text("s")
            (root / "link.txt").symlink_to(Path(folder) / "secret.txt")
            read = file_reader(root)
            self.assertEqual(read("data/a.txt"), b"a")
            for path in (
                "../secret.txt",
                "data/../../secret.txt",
                str(Path(folder) / "secret.txt"),
                "link.txt",
                "data",
                "no",
                "a\x00b",
            ):
                with self.subTest(path), self.assertRaises(Blocked):
                    read(path)


class SigningIn(unittest.TestCase):
    def test_digest(self):
        for algorithm in ("SHA-256", "MD5"):
            with self.subTest(algorithm):
                done = run(
                    f"""\
  - request: Read the log
    send: GET [=harbour]/log?algorithm={algorithm}
    auth: {{ digest: [desk, "[=pin]"] }}
    expect: [ {{ of: status, is: 200 }}, {{ of: $.by, is: desk }} ]
""",
                    secrets={"pin": "salt-and-tar"},
                )
                self.assertEqual(done.verdict, "passed", done.why and done.why.sentence)
                self.assertEqual(
                    [exchange.status for exchange in done.steps[0].exchanges], [401, 200]
                )
                self.assertNotIn(b"response=", done.steps[0].exchanges[1].sent_head, "it is masked")

    def test_a_wrong_digest_password_is_an_answer(self):
        step = (
            "  - { request: a, send: 'GET [=harbour]/log', auth: { digest: [desk, wrong] }, "
            "expect: [ { of: status, is: 401 } ] }\n"
        )
        self.assertEqual(run(step).verdict, "passed")

    def test_no_challenge_blocks(self):
        step = (
            "  - { request: a, send: 'GET [=harbour]/desk', auth: { digest: [desk, x] }, "
            "expect: [ { of: status, is: 401 } ] }\n"
        )
        self.assertIn("asks for no Digest", run(step).steps[0].why.sentence)

    SCALES = """\
  - request: Weigh
    send: GET [=harbour]/scales
    auth: { oauth2: { token url: "[=harbour]/token%s", client id: desk,
      client secret: "[=clientSecret]", scope: scales } }
    expect: [ { of: status, is: 200 } ]
"""

    def test_oauth2_fetches_one_token_a_run(self):
        done = run(self.SCALES % "" * 3, secrets={"clientSecret": "deep-water-9"})
        self.assertEqual([len(step.exchanges) for step in done.steps], [2, 1, 1])
        self.assertEqual(done.verdict, "passed")
        self.assertNotIn("tk-", str(done.steps), "tokens are masked")
        self.assertNotIn("deep-water-9", str(done.steps))

    def test_oauth2_renews_a_token_that_ended_or_was_refused(self):
        wait = "  - wait: 1200 ms\n"
        said = run(
            self.SCALES % "?lasts=1&says=1" + wait + self.SCALES % "?lasts=1&says=1",
            secrets={"clientSecret": "deep-water-9"},
        )
        self.assertEqual(
            [len(s.exchanges) for s in said.steps if s.kind == "request"],
            [2, 2],
            "it knows when it ends",
        )
        lied = run(
            self.SCALES % "?lasts=1&says=60" + wait + self.SCALES % "?lasts=1&says=60",
            secrets={"clientSecret": "deep-water-9"},
        )
        self.assertEqual(
            [[e.status for e in s.exchanges] for s in lied.steps if s.kind == "request"],
            [[200, 200], [401, 200, 200]],
        )
        self.assertEqual(lied.verdict, "passed")

    def test_oauth2_says_why_there_is_no_token(self):
        done = run(self.SCALES % "", secrets={"clientSecret": "fresh water"})
        self.assertEqual(done.verdict, "blocked")
        self.assertIn(
            "answered 401, invalid_client: there is no such client", done.steps[0].why.sentence
        )
        self.assertEqual(done.steps[0].exchanges[0].status, 401)

    def test_keys(self):
        for place, name in (("header", "X-Key"), ("query", "key"), ("cookie", "key")):
            with self.subTest(place):
                done = run(
                    f"""\
  - request: Through the gate
    send: GET [=harbour]/gate
    auth: {{ key: {{ in: {place}, name: {name}, value: "[=key]" }} }}
    expect: [ {{ of: $.gate, is: open }} ]
""",
                    key="gate-7",
                )
                self.assertEqual(done.verdict, "passed", done.why and done.why.sentence)

    def test_a_signature_over_the_finished_request(self):
        done = run(
            """\
  - request: Order
    send: POST [=harbour]/orders
    headers: { X-Signature: "[=request.body | hmac-sha256 signingKey]",
      X-Target: "[=request.method] [=request.path]" }
    json: { berth: "[=berth]", at: "[=now]" }
    expect: [ { of: status, is: 201 }, { of: "$.what.berth", is: "[=sent $.berth]" },
      { of: status, is: 201, note: "[=x]" } ]
""",
            berth="East 4",
            signingKey="ballast",
        )
        self.assertEqual(done.verdict, "passed", done.why and done.why.sentence)
        self.assertIn(b"X-Target: POST /orders\r\n", done.steps[0].exchanges[0].sent_head)


class Cookies(unittest.TestCase):
    STEPS = """\
  - { request: Open, send: 'POST [=harbour]/desk', expect: [ { of: status, is: 204 },
      { of: cookie tide, is: high } ] }
  - { request: Look, send: 'GET [=harbour]/desk', expect: [ { of: $.cookies, is: [desk, tide] } ] }
  - { request: Elsewhere, send: 'GET [=harbour]/berths', expect: [ { of: status, is: 200 } ] }
"""

    def test_they_are_sent_back_where_they_belong(self):
        done = run(self.STEPS)
        self.assertEqual(done.verdict, "passed", done.why and done.why.sentence)
        heads = [step.exchanges[0].sent_head for step in done.steps]
        self.assertIn("Cookie: ●●●".encode(), heads[2])
        self.assertNotIn(b"Cookie", heads[0])

    def test_or_not(self):
        done = run(self.STEPS, "options: { cookies: false }\n")
        self.assertEqual([step.verdict for step in done.steps[:2]], ["passed", "failed"])


class Again(unittest.TestCase):
    def flaky(self, key: str, options: str, method: str = "GET"):
        done = run(f"""\
  - request: Try
    send: {method} [=harbour]/faults/flaky?key={key}&times=2
    options: {options}
    expect: [ {{ of: $.tries, is: 3 }} ]
""")
        return done.steps[0]

    def test_retries(self):
        self.assertEqual(self.flaky("a", "{ retries: 2, retry after: 10 ms }").verdict, "passed")
        step = self.flaky("b", "{ retries: 1, retry after: 10 ms }")
        self.assertEqual((step.verdict, len(step.exchanges)), ("blocked", 2))

    def test_a_post_that_was_sent_is_not_sent_twice_by_itself(self):
        self.assertEqual(
            len(self.flaky("c", "{ retries: 2, retry after: 10 ms }", "POST").exchanges), 1
        )
        step = self.flaky(
            "d", "{ retries: { times: 2, also after sending: true }, retry after: 10 ms }", "POST"
        )
        self.assertEqual((step.verdict, len(step.exchanges)), ("passed", 3))

    def repeated(self, key: str, times: int, at_most: str, every: str = "20 ms"):
        return run(f"""\
  - request: Until it is free
    key: again1
    send: GET [=harbour]/faults/busy?key={key}&times={times}&after=x
    headers: {{ X-Try: "[=any digits 6]" }}
    repeat: {{ until: [ {{ of: $.state, is: free }} ], every: {every}, at most: {at_most} }}
    expect: [ {{ of: status, is: 200 }} ]
    keep: {{ tries: $.tries }}
""").steps[0]

    def test_repeat_until(self):
        step = self.repeated("e", 3, "5 s")
        self.assertEqual(
            (step.verdict, step.attempts, len(step.exchanges), step.kept),
            ("passed", 4, 2, {"tries": 4}),
        )
        self.assertEqual([exchange.status for exchange in step.exchanges], [503, 200])
        self.assertNotEqual(*[e.sent_head.split(b"X-Try: ")[1][:6] for e in step.exchanges])
        self.assertEqual(
            [(o.check, o.origin) for o in step.outcomes][1], ("$.state is free", "until")
        )

    def test_repeat_ends(self):
        step = self.repeated("f", 99, "100 ms")
        self.assertEqual(step.verdict, "failed")
        never = next(outcome for outcome in step.outcomes if outcome.origin == "until")
        self.assertRegex(
            never.why.sentence, r"never held within 100 ms, in \d+ attempts: was “busy”"
        )
        self.assertEqual(
            step.outcomes[0].check, "status is 200", "its own checks are judged on the last answer"
        )

    def test_only_if(self):
        steps = """\
  - { request: Skipped, only if: { of: value portCallId, present: true },
      send: 'GET [=harbour]/gone' }
  - { request: Blocked, only if: { of: value portCallId, is: 3 }, send: 'GET [=harbour]/gone' }
  - { set: { a: 1 }, only if: [ { of: value wanted, is: no } ] }
  - { request: Done, only if: [ { of: value wanted, is: yes }, { of: value portCallId,
      absent: true } ], send: 'GET [=harbour]/berths', expect: [ { of: status, is: 200 } ] }
"""
        done = run(steps, "on failure: go on\n", wanted="yes")
        self.assertEqual(
            [step.verdict for step in done.steps], ["skipped", "blocked", "skipped", "passed"]
        )
        self.assertIn(
            "its condition does not hold: value portCallId is present", done.steps[0].why.sentence
        )
        self.assertEqual(done.steps[1].why.code, "no-value")

    def test_fresh_connection(self):
        steps = (
            "  - { request: a, send: 'GET [=harbour]/berths', options: { fresh connection: %s "
            "}, expect: [ { of: status, is: 200 } ] }\n"
        )
        reused = [
            step.exchanges[0].reused for step in run(steps % "false" * 2 + steps % "true").steps
        ]
        self.assertEqual(reused, [False, True, False])


class Around(unittest.TestCase):
    STEPS = (
        "  - { request: Look, send: 'GET [=harbour]/desk', expect: [ { of: status, is: 200 } ] }\n"
    )
    ONCE = (
        "once: [ { request: Open, send: 'POST [=harbour]/desk', keep: { tide: cookie tide } } ]\n"
    )
    END = "at the end: [ { request: Out, send: 'GET [=harbour]/berths/%s' } ]\n"

    def test_once_and_at_the_end(self):
        done = run(self.STEPS, self.ONCE + self.END % "E1")
        self.assertEqual(
            [(s.part, s.row, s.verdict) for s in done.steps],
            [("once", 0, "unchecked"), ("steps", 1, "passed"), ("at the end", 0, "unchecked")],
        )
        self.assertEqual((done.verdict, done.rows[0].verdict), ("passed", "passed"))

    def test_a_bad_once_skips_the_row_and_gives_the_case_its_verdict(self):
        done = run(
            self.STEPS, "once: [ { request: No, send: 'GET [=harbour]/gone' } ]\n" + self.END % "E1"
        )
        self.assertEqual([s.verdict for s in done.steps], ["blocked", "skipped", "unchecked"])
        self.assertEqual((done.verdict, done.rows[0].verdict), ("blocked", "skipped"))
        self.assertEqual(done.why.sentence, "answered 404, so this was not done")

    def test_a_bad_end_is_told(self):
        self.assertEqual(run(self.STEPS, self.ONCE + self.END % "E99").verdict, "blocked")

    def test_checks_on_every_answer(self):
        steps = """\
  - { request: One, send: 'GET [=harbour]/berths/E1', expect: [ { of: $.id, is: E1 } ] }
  - { request: Two, send: 'GET [=harbour]/notices/latin1', without: [JSON],
      expect: [ { of: status, is: 200 } ] }
  - { request: Three, send: 'GET [=harbour]/notices/latin1', expect: [ { of: status, is: 200 } ] }
  - { request: Four, send: 'GET [=harbour]/berths/E1' }
"""
        done = run(
            steps,
            "on failure: go on\nevery answer: [ { of: type, is: application/json, note: JSON } ]\n",
        )
        self.assertEqual(
            [s.verdict for s in done.steps], ["passed", "passed", "failed", "unchecked"]
        )
        self.assertEqual([len(s.outcomes) for s in done.steps], [2, 1, 2, 1])
        self.assertEqual(done.steps[2].outcomes[1].origin, "case")
        self.assertIn("type is application/json: was “text/plain”", done.steps[2].why.sentence)

    def test_checks_on_every_answer_and_until_may_ask_the_request(self):
        steps = """\
  - request: Ask for a fee
    send: POST [=harbour]/fee-quotes
    json: { lengthMetres: 12.8, tonnage: 44, nights: 2, season: winter }
    repeat: { until: { of: $.nights, is: "[=sent $.nights]" }, every: 20 ms, at most: 1 s }
    expect: [ { of: status, is: 200 } ]
"""
        done = run(steps, 'every answer: [ { of: $.season, is: "[=sent $.season]" } ]\n')
        self.assertEqual(done.verdict, "passed", done.steps[0].why and done.steps[0].why.sentence)
        self.assertEqual(
            [(o.origin, o.verdict) for o in done.steps[0].outcomes][1:],
            [("case", "passed"), ("until", "passed")],
        )
        self.assertEqual(done.steps[0].attempts, 1)


class Answers(unittest.TestCase):
    def test_charsets_and_encodings(self):
        for kind in ("latin1", "utf16"):
            with self.subTest(kind):
                step = (
                    f"  - {{ request: a, send: 'GET [=harbour]/notices/{kind}', expect: [ {{ "
                    f"of: body, contains: østre molo }} ] }}\n"
                )
                self.assertEqual(run(step).verdict, "passed")
        for kind in ("gzip", "deflate", "br", "zstd"):
            with self.subTest(kind):
                step = (
                    f"  - {{ request: a, send: 'GET [=harbour]/notices/{kind}', expect: [ {{ "
                    f"of: $.notice, starts with: Nattbølge }} ] }}\n"
                )
                self.assertEqual(run(step).verdict, "passed")

    def test_xml(self):
        done = run(
            """\
  - request: Tides
    send: GET [=harbour]/notices/xml
    expect:
      - { of: "//_:tide", count: 2 }
      - { of: "//_:tide[2]/@metres", is: 0.31 }
      - { of: "//_:tide/@metres", below: 2 }
      - { of: /_:tides/@day, before: "2027-01-01" }
      - { of: "//q:depth", is: 9.5 }
      - { of: "//_:ebb", absent: true }
    keep: { heights: "//_:tide/@metres", east: "//q:quay[@q:name='[=quay]']/q:depth" }
""".replace("'[=quay]'", "[=quay]"),
            quay="East",
        )
        self.assertEqual(done.verdict, "passed", done.why and done.why.sentence)
        self.assertEqual(done.steps[0].kept, {"heights": ["1.84", "0.31"], "east": "9.50"})

    def test_what_is_no_xml_or_hostile_says_so(self):
        for path, said in [
            ("berths", "the body is not XML"),
            ("faults/entities", "declares entities"),
        ]:
            with self.subTest(path):
                step = (
                    f"  - {{ request: a, send: 'GET [=harbour]/{path}', expect: [ {{ of: //a, "
                    f"present: true }} ] }}\n"
                )
                done = run(step).steps[0]
                self.assertEqual(done.verdict, "failed")
                self.assertIn(said, done.why.sentence)

    def test_where_in_xml(self):
        done = run(
            "  - { request: a, send: 'GET [=harbour]/notices/xml', expect: [ { of: "
            "'//_:tide/@metres', above: 1 } ] }\n"
        )
        self.assertEqual(done.steps[0].outcomes[0].where, ("/_:tides/_:tide[2]/@metres",))


class Slow(unittest.TestCase):
    """What backtracks for ever ends with the reason, and other exchanges go on meanwhile."""

    def test_it_ends_and_others_go_on(self):
        texts = {
            "a pattern": "{ of: $.text, matches: '^(a|a)*$' }",
            "a pattern of the body": "{ of: 'body ~ \"(a|a)*\"', present: true }",
            "a pipe": "{ of: '$.text | replace /^(a|a)*$/ with \"\"', is: x }",
            "a path": "{ of: \"$.list[?match(@, '(a|a)*')]\", present: true }",
            "a schema": "{ of: $.text, schema: { type: string, pattern: '^(a|a)*$' } }",
            "a loose value": "{ of: $, fits: { text: '[?matches ^(a|a)*$]' } }",
        }
        from tests.engine.answering import answering

        body = '{"text": "%s!", "list": ["%s!"]}' % (("a" * 40,) * 2)
        with answering({"/slow": body.encode(), "/quick": b"{}"}) as address:
            quick = case(
                "".join(
                    f"  - {{ request: q{n}, send: 'GET {address}/quick', expect: [ {{ of: status, "
                    f"is: 200 }} ] }}\n"
                    for n in range(400)
                )
            )
            for name, check in texts.items():
                with self.subTest(name):
                    events: list = []
                    slow = case(
                        f"  - {{ request: slow, send: 'GET {address}/slow', expect: [ {check} ] "
                        f"}}\n"
                    )
                    results = run_text(slow, quick, jobs=2, events=events)
                    step = results.cases[0].steps[0]
                    self.assertEqual(step.verdict, "blocked", step.why)
                    self.assertIn("200 ms", step.why.sentence)
                    begun = next(
                        e.at for e in events if type(e).__name__ == "StepStarted" and e.case == 0
                    )
                    done = next(
                        e.at for e in events if type(e).__name__ == "StepFinished" and e.case == 0
                    )
                    quick_ones = [
                        e.at for e in events if type(e).__name__ == "StepFinished" and e.case == 1
                    ]
                    meanwhile = sum(begun < at < done for at in quick_ones)
                    self.assertGreater(meanwhile, 20, "the others waited")
                    self.assertEqual(results.cases[1].verdict, "passed")

    def test_xpath(self):
        from tests.engine.answering import answering

        rows = "".join(f"<a><b>{number}</b></a>" for number in range(6000))
        with answering({"/x": f"<r>{rows}</r>".encode()}) as address:
            for path in ("//a[count(//a[b = //b]) > 3]", "//b/preceding::b/following::b"):
                step = (
                    f"  - {{ request: x, send: 'GET {address}/x', expect: [ {{ of: '{path}', "
                    f"present: true }} ] }}\n"
                )
                with self.subTest(path):
                    done = run(step).steps[0]
                    self.assertEqual((done.verdict, done.why.code), ("blocked", "path-timeout"))
