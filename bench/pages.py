"""S7 in the browser: a case of 100 steps and 600 checks, opened and edited; an answer of 10 MB.
Long tasks are counted by the page."""

from __future__ import annotations

import statistics
from typing import Any

from playwright.sync_api import Page, sync_playwright

from bench.sides import line
from tests.application import Application
from tests.browser.page import ARGUMENTS, CHROMIUM

STEPS, ROUNDS = 100, 7
NAME = "A hundred steps"
TASKS = """() => { window.tasks = []; new PerformanceObserver((list) => {
    for (const item of list.getEntries()) window.tasks.push(item.duration);
}).observe({ type: 'longtask' }); }"""


SCROLL = """async () => {
    while (!document.querySelector('.tree')) await new Promise(requestAnimationFrame);
    const tree = document.querySelector('.tree');
    for (let step = 0; step < 60; step++) {
        tree.scrollTop += 2400;
        await new Promise((done) => requestAnimationFrame(done));
    }
}"""


def document() -> dict[str, Any]:
    """Six checks and a kept value a step; each step's address uses the value of the one before."""
    steps: list[dict[str, Any]] = []
    for number in range(STEPS):
        vessel = f"[=id{number - 1}]" if number else "V-101"
        checks = [
            {"of": "status", "is": 200},
            {"of": "$.id", "present": True},
            {"of": "$.name", "kind": "text"},
            {"of": "$.lengthMetres", "above": 1},
            {"of": "$.homePort", "is": "Fernholm"},
            {"of": "time", "below": "5 s"},
        ]
        steps.append(
            {
                "request": f"Read vessel {number + 1}",
                "send": f"GET [=harbour]/vessels/{vessel}",
                "expect": checks,
                "keep": {f"id{number}": "$.id"},
            }
        )
    return {"salt-path": 1, "case": NAME, "steps": steps}


def opened(page: Page, address: str, name: str = NAME) -> float:
    """Milliseconds from the click on a case to the first row of its evidence."""
    page.goto(f"{address}/cases")
    link = page.get_by_role("link", name=name)
    link.wait_for()
    page.wait_for_timeout(300)
    page.evaluate(TASKS)
    return float(
        page.evaluate(
            """async (name) => {
            const link = [...document.querySelectorAll('a')]
                .find((item) => item.textContent === name);
            const begun = performance.now();
            link.click();
            while (!document.querySelector('[role=treeitem]'))
                await new Promise(requestAnimationFrame);
            return performance.now() - begun;
        }""",
            name,
        )
    )


def longest(page: Page) -> float:
    page.wait_for_timeout(150)
    return max(page.evaluate("() => window.tasks.splice(0)"), default=0)


def edited(page: Page) -> dict[str, float]:
    """The longest task of each kind of edit, in milliseconds; 0 where none was over 50. What the
    page shows is asked for by plain selectors, since the driver's own search by roles would be
    counted as tasks of the page."""
    found = {}

    def until(condition: str) -> float:
        for _ in range(200):
            if page.evaluate(f"() => {condition}"):
                break
            page.wait_for_timeout(50)
        else:
            raise AssertionError(f"waited in vain for {condition}")
        page.wait_for_timeout(400)
        return longest(page)

    page.wait_for_timeout(1500)
    checks = page.locator(".step.open .check").count()
    longest(page)
    page.focus(".add-check input")
    page.keyboard.type("time under 4 s", delay=20)
    page.keyboard.press("Enter")
    found["a check typed"] = until(
        f"document.querySelectorAll('.step.open .check').length === {checks + 1}"
    )
    page.focus("[role=tree]")
    page.keyboard.press("a")
    found["a check by pointing"] = until(
        f"document.querySelectorAll('.step.open .check').length === {checks + 2}"
    )
    first = (
        "document.querySelector('[data-step=\"%d\"] .step-name').textContent === 'Read vessel 1'"
    )
    page.focus('[data-step="1"] .step-head')
    page.keyboard.press("Alt+ArrowDown")
    found["a step moved"] = until(first % 2)
    page.keyboard.press("Control+z")
    found["undone"] = until(first % 1)
    page.locator('[data-step="4"] .step-head').click()
    found["another step opened"] = until(
        "document.querySelector('[data-step=\"4\"] .check') !== null"
    )
    return found


def of_hundred_steps(app: Application, page: Page, suite: str) -> None:
    case = app.ask(
        "POST", "/cases", {"project": app.project, "suite": suite, "document": document()}
    )[2]["id"]
    app.run(60, cases=[case])
    cold = opened(page, app.address)
    times, tasks = [], []
    for _ in range(ROUNDS):
        times.append(opened(page, app.address))
        tasks.append(longest(page))
    took = statistics.median(times)
    line(
        "S7",
        f"{took:.0f} ms",
        "<= 500 ms",
        took <= 500,
        f"100 steps, 600 checks, from the click to the evidence; first {cold:.0f}",
    )
    line(
        "S7",
        f"{statistics.median(tasks):.0f} ms",
        "-",
        True,
        "the longest task while it opens, 0 where none is over 50",
    )
    rounds = []
    for _ in range(3):
        rounds.append(edited(page))
        page.locator('[data-step="1"] .step-head').click()
    for what in rounds[0]:
        most = statistics.median(one[what] for one in rounds)
        line("S7", f"{most:.0f} ms", "0 over 50 ms", most <= 50, f"the longest task, {what}")


CHECKS = 500
PASTE = """async (text) => {
    const data = new DataTransfer();
    data.setData('text/plain', text);
    const begun = performance.now();
    document.querySelector('.sheet').dispatchEvent(new ClipboardEvent('paste',
      { clipboardData: data, bubbles: true }));
    while (document.querySelectorAll('.sheet-row').length < %d)
        await new Promise(requestAnimationFrame);
    return performance.now() - begun;
}"""
SHEET = """async () => {
    const button = [...document.querySelectorAll('.views button')]
        .find((item) => item.textContent === 'Sheet');
    const begun = performance.now();
    button.click();
    while (document.querySelectorAll('.sheet-row').length < %d)
        await new Promise(requestAnimationFrame);
    return performance.now() - begun;
}"""
SCROLL_SHEET = SCROLL.replace("'.tree'", "'.sheet'").replace("2400", "240")


def of_a_sheet(app: Application, page: Page, suite: str) -> None:
    """Five hundred checks pasted into a sheet, and a sheet of them opened; the head and the place
    for a new one are rows too."""
    step = {"request": "Read", "send": "GET [=harbour]/vessels/V-101"}
    made = {"salt-path": 1, "case": "Five hundred checks", "steps": [step]}
    app.ask("POST", "/cases", {"project": app.project, "suite": suite, "document": made})
    rows = "\n".join(f"$.name\tis not\tname {number}" for number in range(CHECKS))
    opened_times, pasted = [], []
    for _ in range(5):
        page.goto(f"{app.address}/cases")
        page.get_by_role("link", name="Five hundred checks").click()
        page.get_by_role("button", name="Sheet", exact=True).click()
        page.locator(".sheet-row").nth(1).wait_for()
        pasted.append(page.evaluate(PASTE % (CHECKS + 2), rows))
        page.wait_for_timeout(800)
        page.get_by_role("button", name="Path", exact=True).click()
        page.wait_for_timeout(800)
        page.evaluate(TASKS)
        opened_times.append(page.evaluate(SHEET % (CHECKS + 2)))
        page.wait_for_timeout(500)
        longest(page)
        page.evaluate(SCROLL_SHEET)
        most = longest(page)
        page.get_by_role("button", name="Undo").click()
        page.wait_for_timeout(800)
    took = statistics.median(pasted)
    line(
        "S7",
        f"{took:.0f} ms",
        "<= 1000 ms",
        took <= 1000,
        f"{CHECKS} checks pasted into a sheet, until they are shown as stored",
    )
    took = statistics.median(opened_times)
    line(
        "S7",
        f"{took:.0f} ms",
        "<= 500 ms",
        took <= 500,
        f"a sheet of {CHECKS} checks, from the click",
    )
    line(
        "S7", f"{most:.0f} ms", "0 over 50 ms", most <= 50, "the longest task while it is scrolled"
    )


def of_ten_megabytes(app: Application, page: Page, suite: str) -> None:
    step = {
        "request": "Fetch",
        "send": "GET [=harbour]/faults/large",
        "expect": [{"of": "status", "is": 200}],
    }
    made = {"salt-path": 1, "case": "Ten megabytes", "steps": [step]}
    case = app.ask("POST", "/cases", {"project": app.project, "suite": suite, "document": made})[2][
        "id"
    ]
    app.run(60, cases=[case])
    took = statistics.median(opened(page, app.address, "Ten megabytes") for _ in range(5))
    line(
        "S7",
        f"{took:.0f} ms",
        "<= 1000 ms",
        took <= 1000,
        "an answer of 10 MB, from the click to the first row",
    )
    longest(page)
    page.evaluate(SCROLL)
    most = longest(page)
    line(
        "S7", f"{most:.0f} ms", "0 over 50 ms", most <= 50, "the longest task while it is scrolled"
    )


def main() -> None:
    with Application() as app, sync_playwright() as playwright:
        suite = app.get(f"/suites?project={app.project}")["items"][0]["id"]
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        of_hundred_steps(app, page, suite)
        of_a_sheet(app, page, suite)
        of_ten_megabytes(app, page, suite)
        browser.close()


if __name__ == "__main__":
    main()
