"""Requests that come from elsewhere: a curl line, raw HTTP, one copied from the evidence of another
step."""

import re

from tests.browser.page import BrowserTest

PASTE = """(text) => {
  const data = new DataTransfer();
  data.setData("text/plain", text);
  document.activeElement.dispatchEvent(new ClipboardEvent("paste", { clipboardData: data,
    bubbles: true, cancelable: true }));
}"""


class Pasting(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        suite = self.app.ask("POST", "/suites", {"project": self.app.project, "name": "Pasted"})[2][
            "id"
        ]
        document = {"salt-path": 1, "case": "From elsewhere", "steps": []}
        asked = {"project": self.app.project, "suite": suite, "document": document}
        self.id = self.app.ask("POST", "/cases", asked)[2]["id"]
        self.harbour = f"http://127.0.0.1:{self.app.harbour_port}"

    def steps(self):
        return self.app.get(f"/cases/{self.id}")["document"]["steps"]

    def paste(self, text: str) -> None:
        self.page.get_by_label("Add a step: a method and an address").focus()
        self.page.evaluate(PASTE, text)

    def test_a_curl_line_is_pasted_sent_and_copied_again(self):
        self.go(f"/cases/{self.id}")
        self.page.get_by_text("or a curl line").wait_for()
        self.paste(
            f"curl '{self.harbour}/fee-quotes' \\\n  -H 'Content-Type: application/json' \\\n  -b "
            "jar.txt \\\n"
            '  --data-raw \'{"lengthMetres": 23.40, "tonnage": 180, "nights": 2}\' -L | jq .total'
        )
        self.page.get_by_text("The cookies in the file jar.txt were left out.").wait_for()
        self.app.wait(lambda: len(self.steps()) == 1)
        step = self.steps()[0]
        self.assertEqual(
            step["send"], "POST [=harbour]/fee-quotes", "where it goes is a value that is known"
        )
        self.assertEqual(step["json"], '{"lengthMetres": 23.40, "tonnage": 180, "nights": 2}')
        self.assertEqual((step["request"], "headers" in step), ("Send a fee quote", False))
        self.page.get_by_role("button", name="Send this step").click()
        self.page.get_by_role("treeitem").filter(has_text="FHC").first.click()
        self.page.get_by_role("button", name=re.compile("Expect “FHC”")).click()
        self.app.wait(lambda: self.steps()[0].get("expect") == [{"of": "$.currency", "is": "FHC"}])
        self.page.get_by_text("Sent", exact=True).click()
        self.page.get_by_role("button", name="Copy as curl").click()
        self.page.get_by_text("Copied as a curl line.").wait_for()
        self.page.get_by_label("Add a step: a method and an address").focus()
        self.page.keyboard.press("Control+v")
        self.app.wait(lambda: len(self.steps()) == 2)
        again = self.steps()[1]
        self.assertEqual((again["send"], again["json"]), (step["send"], step["json"]))
        self.assertEqual(self.axe(), [])

    def test_raw_http_and_what_is_neither(self):
        self.go(f"/cases/{self.id}")
        host = self.harbour.removeprefix("http://")
        self.paste(
            f"GET /vessels?page=2 HTTP/1.1\r\nHost: {host}\r\nAccept: application/json\r\n\r\n"
        )
        self.app.wait(lambda: len(self.steps()) == 1)
        wanted = {"page": "2"}
        self.assertEqual(
            (self.steps()[0]["send"], self.steps()[0]["query"]), ("GET [=harbour]/vessels", wanted)
        )
        self.paste("curl 'http://h/ -d x")
        self.page.get_by_text("a quote ' is opened and never closed").wait_for()
        self.assertEqual(len(self.steps()), 1)
        # the browser reports the refusal itself
        self.said = [line for line in self.said if "422" not in line]
        field = self.page.get_by_label("Add a step: a method and an address")
        field.fill(f"curl -X DELETE {self.harbour}/vessels/V-1 -L")
        field.press("Enter")
        self.app.wait(lambda: len(self.steps()) == 2)
        self.assertEqual(self.steps()[1]["send"], "DELETE [=harbour]/vessels/V-1")

    def test_a_case_begins_with_a_curl_line(self):
        self.go("/cases")
        suite = self.page.locator("section").filter(has_text="Pasted").last
        suite.get_by_text("+ case").click()
        self.page.get_by_label("Add a case to this suite").fill(f"curl {self.harbour}/pilots")
        self.page.keyboard.press("Enter")
        self.page.get_by_role("heading", name="Read pilots").wait_for()
        self.page.get_by_label("Step 1: Read pilots").wait_for()
