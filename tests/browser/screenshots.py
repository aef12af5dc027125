"""`make screenshots`: one current picture of each main view, from the demonstration."""

from pathlib import Path

from playwright.sync_api import Page, sync_playwright

from tests.application import Application
from tests.browser.page import ARGUMENTS, CHROMIUM
from tests.recordings import an_agents_morning

FOLDER = Path(__file__).resolve().parents[2] / "docs/screenshots"


def main() -> None:
    with Application(sign_in=True) as app, sync_playwright() as playwright:
        first = app.finished(app.get(f"/runs?project={app.project}")["items"][0]["id"])
        names = app.cases()
        suite = app.get(f"/suites?project={app.project}")["items"][0]["id"]
        app.run(cases=[names["A visiting vessel is given a berth"]])
        rows = app.run(cases=[names["Every arrival of the week gets a berth"]], jobs=4)
        shared = app.get(f"/shared-steps?project={app.project}")["items"][0]["id"]
        app.run(cases=[shared], kind="trial")
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        name, _, token = app.cookie.partition("=")
        context.add_cookies([{"name": name, "value": token, "url": app.address}])
        page = context.new_page()
        for file, path, theme in [
            ("cases", "/cases", "light"),
            ("case", f"/cases/{names['A visiting vessel is given a berth']}?step=2", "light"),
            ("case-failed", f"/cases/{names['A long vessel gets a berth long enough']}", "light"),
            ("run", f"/runs/{first['id']}", "light"),
            ("rows", f"/runs/{rows['id']}", "light"),
            ("source", "/data/source?name=arrivals", "light"),
            ("setup", "/setup", "light"),
            ("shared-steps", f"/cases/{shared}", "light"),
            ("people", "/setup/people", "light"),
            ("watches", "/watches?over=30+days", "light"),
            ("case-dark", f"/cases/{names['A long vessel gets a berth long enough']}", "dark"),
        ]:
            page.add_init_script(f"localStorage.setItem('saltpath-theme', '{theme}')")
            page.goto(app.address + path)
            page.get_by_role("heading", level=1).wait_for()
            page.wait_for_timeout(900)
            page.screenshot(path=FOLDER / f"{file}.png")
        page.add_init_script("localStorage.setItem('saltpath-theme', 'light')")
        page.goto(f"{app.address}/cases/{names['A visiting vessel is given a berth']}?step=2")
        page.get_by_role("treeitem").filter(has_text="name").first.click()
        page.get_by_role("toolbar").wait_for()
        page.wait_for_timeout(300)
        page.screenshot(path=FOLDER / "pointing.png")
        page.goto(f"{app.address}/cases/{names['A stay is quoted to the cent']}")
        page.get_by_role("treeitem").filter(has_text="total").first.click()
        page.get_by_role("button", name="Expect any number").click()
        page.get_by_text("judged again").first.wait_for()
        page.get_by_role("button", name="Versions").click()
        page.locator(".history ol button").nth(1).click()
        page.get_by_text("Since then").wait_for()
        page.wait_for_timeout(300)
        page.screenshot(path=FOLDER / "versions.png")
        watches = app.get(f"/watches?project={app.project}")["items"]
        weather = next(one["id"] for one in watches if one["name"] == "Weather")
        page.goto(f"{app.address}/watches/{weather}?over=a+day")
        page.get_by_role("button", name="Run it now").click()
        page.get_by_role("heading", name="Where the time goes").wait_for()
        page.locator(".watch-run button").first.click()
        page.get_by_role("complementary").get_by_text("Evidence").wait_for()
        page.evaluate("window.scrollTo(0, 0)")
        page.wait_for_timeout(900)
        page.screenshot(path=FOLDER / "watch.png")
        page.goto(f"{app.address}/cases/recording?suite={suite}")
        har = an_agents_morning(f"http://127.0.0.1:{app.harbour_port}").har()
        file = {"name": "An agent's morning.har", "mimeType": "application/json", "buffer": har}
        page.get_by_label("A browser's recording, as a HAR file").set_input_files(files=[file])
        page.get_by_text("entries are left out").wait_for()
        page.screenshot(path=FOLDER / "recording.png")
        compared(app, page, names["Free berths are listed"])
        browser.close()


def of_a_month() -> None:
    """Today and Trends, which need a past."""
    with Application(sign_in=True, past=True) as app, sync_playwright() as playwright:
        app.finished(app.get(f"/runs?project={app.project}")["items"][0]["id"])
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        context = browser.new_context(viewport={"width": 1280, "height": 800})
        name, _, token = app.cookie.partition("=")
        context.add_cookies([{"name": name, "value": token, "url": app.address}])
        page = context.new_page()
        for file in ("today", "trends"):
            page.wait_for_timeout(5_000)  # the run is summed up
            page.goto(f"{app.address}/{file}")
            page.get_by_role("listitem").first.wait_for()
            page.wait_for_load_state("networkidle")
            page.wait_for_timeout(900)
            page.screenshot(path=FOLDER / f"{file}.png")
        browser.close()


def compared(app: Application, page: Page, case: str) -> None:
    """A run beside another in which a case broke, and the report of it as one page."""
    before = app.run(jobs=8, build="3.2.0")
    held = app.get(f"/cases/{case}")
    steps = [{**held["document"]["steps"][0], "send": "GET [=harbour]/berths/none"}]
    document = {**held["document"], "steps": [*steps, *held["document"]["steps"][1:]]}
    app.ask("PUT", f"/cases/{case}", {"document": document}, If_Match=f'"{held["version"]}"')
    after = app.run(jobs=8, build="3.3.0-rc2")
    page.goto(f"{app.address}/runs/{after['id']}/beside/{before['id']}")
    page.get_by_role("button", name=held["name"]).click()
    page.locator(".compared-steps button").first.click()
    page.locator(".compared-steps table").wait_for()
    page.screenshot(path=FOLDER / "compared.png")
    octets = app.ask("GET", f"/runs/{after['id']}/report?format=html")[2]
    page.set_content(octets.decode())
    page.screenshot(path=FOLDER / "report.png")


if __name__ == "__main__":
    main()
    of_a_month()
