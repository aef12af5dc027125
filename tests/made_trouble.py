"""A run whose 60 failures have four causes, for tests of what is said of it."""

from __future__ import annotations

from typing import Any

from tests.application import Application, free_port

STATUS = {"of": "status", "is": 200}


def made_trouble(app: Application) -> dict[str, Any]:
    """Asked for and finished: 20 cases use shared steps that are
    answered 500; nobody listens for 15 with a step of their own each; 15 rows of one differ from
    what is expected, each otherwise; 10 want a value that nobody has, and in each two steps more
    fail only for that."""
    project, suite = app.project, ""
    suite = app.ask("POST", "/suites", {"project": project, "name": "A bad day"})[2]["id"]

    def case(name: str, *steps: dict[str, Any], **more: Any) -> str:
        document = {"salt-path": 1, "case": name, **more, "steps": list(steps)}
        about = {"project": project, "suite": suite, "document": document}
        status, _, made = app.ask("POST", "/cases", about)
        assert status == 201, made
        return str(made["id"])

    closed = {
        "request": "Ask for the quay",
        "send": "GET [=harbour]/faults/500",
        "expect": [STATUS],
    }
    first = case("The quay by itself", {**closed, "key": "askqua"})
    about = {"steps": ["askqua"], "name": "Open the quay"}
    status, _, shared = app.ask("POST", f"/cases/{first}/shared-steps", about)
    assert status == 201, shared
    use = {"shared": shared["use"]["shared"]}
    cases = [case(f"Quay {n}", use) for n in range(1, 21)]
    gone = f"http://127.0.0.1:{free_port()}/tides"
    for n in range(15):
        step = {"request": f"Tide {n}", "send": f"GET {gone}?n={n}", "expect": [STATUS]}
        cases.append(case(f"Tides of pier {n}", step))
    wanting = {"request": "Read it", "send": "GET [=harbour]/berths/[=nowhere]", "expect": [STATUS]}
    more = [{**wanting, "request": name} for name in ("Change it", "Close it")]
    status, _, shared = app.ask(
        "POST",
        f"/cases/{case('Wants', {**wanting, 'key': 'wantit'}, *more)}/shared-steps",
        {"steps": ["wantit"], "name": "Read what was made"},
    )
    assert status == 201, shared
    use = {"shared": shared["use"]["shared"]}
    for n in range(10):
        cases.append(case(f"Wants {n}", use, *more, **{"on failure": "go on"}))
    source = {"make": 15, "columns": {"wanted": "[=row.number]"}}
    about = {"project": project, "name": f"made {suite}", "document": source}
    assert app.ask("POST", "/sources", about)[0] == 201
    read = {
        "request": "Read the vessel",
        "send": "GET [=harbour]/vessels/V-101",
        "expect": [STATUS, {"of": "$.name", "is": "[=row.wanted]"}],
    }
    cases.append(case("Vessels", read, rows={"source": f"made {suite}"}))
    status, _, run = app.ask(
        "POST", "/runs", {"project": project, "cases": cases, "jobs": 4, "environment": "Rehearsal"}
    )
    assert status == 201, run
    return app.finished(run["id"])
