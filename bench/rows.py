"""E6: memory of a runner over very many rows of a file; S3: the report of a run of 100,000 rows,
until its first picture.

`python -m bench.rows [ROWS OF CSV] [ROWS OF XLSX]`, by default 1,000,000 and 100,000.
"""

from __future__ import annotations

import statistics
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

from openpyxl import Workbook
from playwright.sync_api import sync_playwright

from bench.application import Application
from bench.nginx import harbour
from bench.sides import line
from tests.browser.page import ARGUMENTS, CHROMIUM

JOBS, ROUNDS = 16, 7
COLUMNS = ("number", "vessel", "length", "nights", "eta", "quay")


def case(file: str) -> dict[str, Any]:
    step = {
        "request": "Read it",
        "send": "GET [=harbour]?row=[=row.number]&vessel=[=row.vessel]",
        "expect": [{"of": "status", "is": 200}, {"of": "$.id", "present": True}],
    }
    rows = {"file": file, "columns": {"length": "number", "nights": "integer"}}
    return {"salt-path": 1, "case": f"Over {file}", "rows": rows, "steps": [step]}


def cells(number: int) -> list[Any]:
    return [
        number,
        f"Vessel {number % 977}",
        number % 1400 / 10,
        number % 14 + 1,
        "2026-11-30",
        "east" if number % 3 else "west",
    ]


def write_csv(file: Path, rows: int) -> None:
    with file.open("w") as out:
        out.write(",".join(COLUMNS) + "\n")
        out.writelines(",".join(map(str, cells(number))) + "\n" for number in range(1, rows + 1))


def write_xlsx(file: Path, rows: int) -> None:
    book = Workbook(write_only=True)
    sheet = book.create_sheet("Rows")
    sheet.append(COLUMNS)
    for number in range(1, rows + 1):
        sheet.append(cells(number))
    book.save(file)


def resident_mb(pid: int) -> float:
    for text in Path(f"/proc/{pid}/status").read_text().splitlines():
        if text.startswith("VmRSS:"):
            return int(text.split()[1]) / 1000
    return 0.0


def over(app: Application, of: str, rows: int, label: str) -> str:
    """Run a case over its rows, and watch the runner's memory. Gives the run."""
    [runner] = app.pids("runner")
    run = app.ask("/runs", {"project": app.project, "cases": [of], "jobs": JOBS})["id"]
    begun, seen = time.perf_counter(), []
    while app.ask(f"/runs/{run}")["state"] != "finished":
        seen.append(resident_mb(runner))
        time.sleep(1)
    took = time.perf_counter() - begun
    report = app.ask(f"/runs/{run}")
    assert report["cases"][0]["rows"]["counts"] == {"passed": rows}, report["cases"][0]["rows"][
        "counts"
    ]
    fifth = max(len(seen) // 5, 1)
    early, late = (
        statistics.median(seen[fifth : 2 * fifth] or seen),
        statistics.median(seen[-fifth:]),
    )
    fine = max(seen) <= 300 and late <= early * 1.1 + 5
    line(
        f"E6 {label}",
        f"{max(seen):.0f} MB",
        "flat, <= 300 MB",
        fine,
        f"{rows:,} rows, {early:.0f} MB early and {late:.0f} MB at the end, {rows / took:,.0f} "
        "rows/s",
    )
    return str(run)


def first_picture(app: Application, run: str, rows: int) -> None:
    """Milliseconds from opening a report to its first rows."""
    address = f"http://127.0.0.1:{app.port}"
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{address}/runs")
        page.get_by_role("link", name="Over").first.wait_for()
        took = []
        for _ in range(ROUNDS):
            page.goto(f"{address}/runs")
            page.locator(f'a[href="/runs/{run}"]').first.wait_for()
            took.append(
                page.evaluate(
                    """async (run) => {
                    const link = document.querySelector(`a[href="/runs/${run}"]`);
                    const begun = performance.now();
                    link.click();
                    while (!document.querySelector('.matrix-cell'))
                        await new Promise(requestAnimationFrame);
                    return performance.now() - begun;
                }""",
                    run,
                )
            )
        browser.close()
    middle = statistics.median(took)
    line(
        "S3",
        f"{middle:.0f} ms",
        "<= 500 ms",
        middle <= 500,
        f"the report of {rows:,} rows, from the click to its first rows",
    )


def e6_s3(csv_rows: int = 1_000_000, xlsx_rows: int = 100_000) -> None:
    with tempfile.TemporaryDirectory() as folder, harbour() as address:
        text, book = Path(folder) / "rows.csv", Path(folder) / "rows.xlsx"
        write_csv(text, csv_rows)
        write_xlsx(book, xlsx_rows)
        app = Application(
            address,
            1,
            [case("data/rows.csv"), case("data/rows.xlsx")],
            {"data/rows.csv": text, "data/rows.xlsx": book},
        )
        try:
            run = over(app, app.cases[1], xlsx_rows, "XLSX")
            first_picture(app, run, xlsx_rows)
            over(app, app.cases[0], csv_rows, "CSV")
        finally:
            app.close()


if __name__ == "__main__":
    e6_s3(*map(int, sys.argv[1:]))
