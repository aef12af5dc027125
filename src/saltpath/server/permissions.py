"""`docs/permissions.md`: the one table of who may do what (rights.py), operation by operation.
`python -m saltpath.server.permissions` writes it."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from saltpath.server.rights import RIGHTS, ROLES, SCOPES, Right

PAGE = Path(__file__).parents[3] / "docs/permissions.md"
_HEAD = """# Who may do what

Every operation of the API needs one right; roles and the scopes of keys have rights. This page is
written from the same declarations that the server asks (`server/rights.py`, and `declared` at each
endpoint); `tests/server/test_rights.py` calls every operation as every role, with keys of every
scope, and as nobody, and takes out each check in turn to see that the test sees it.

- Whoever has no part in a project is told that it is not there, whatever it is that they name.
- An **administrator** of the installation owns every project, and alone has `administer`.
- A **key** acts for whoever made it: it may what its maker may there, and one of its scopes lets
  it, and never `self`, `own` or `administer`.
- Nobody who is not signed in has more than `open`.
- What opens something to others (**again** below) asks for the password again, unless it was given
  within 15 minutes; whoever has none here came by somebody who vouches, or works alone.

"""
_SAID: dict[Right, str] = {
    "open": "needs no sign-in",
    "anyone": "needs a sign-in, or a key",
    "self": "is about the account of whoever is signed in",
    "read": "looks at something of a project",
    "run": "starts or stops something",
    "edit": "changes something",
    "own": "decides about the project",
    "administer": "decides about the installation",
}


def page() -> str:
    """The page, as Markdown."""
    from saltpath.server.app import contract

    lines = [_HEAD, *_summary()]
    by_right: dict[str, list[str]] = {right: [] for right in RIGHTS}
    for path, methods in contract()["paths"].items():
        for method, operation in methods.items():
            by_right[operation["x-right"]].append(_line(method, path, operation))
    for right in RIGHTS:
        lines += [
            f"\n## `{right}`: {_SAID[right]}\n",
            "| operation | call | what |",
            "|---|---|---|",
        ]
        lines += sorted(by_right[right])
    return "\n".join(lines) + "\n"


def _summary() -> list[str]:
    shown: list[Right] = ["read", "run", "edit", "own"]
    lines = [f"| | {' | '.join(f'`{right}`' for right in shown)} |", "|---" * 5 + "|"]
    held: list[tuple[str, frozenset[Right]]] = [
        *((name, of) for name, of in ROLES.items()),
        *((f"a key to {name}", of) for name, of in SCOPES.items()),
    ]
    for name, of in held:
        lines.append(f"| {name} | {' | '.join('yes' if right in of else '' for right in shown)} |")
    return lines


def _line(method: str, path: str, operation: dict[str, Any]) -> str:
    again = " (**again**)" if operation.get("x-again") else ""
    called = f"{operation['operationId']}{again}"
    return f"| {called} | `{method.upper()} {path}` | {operation['summary']} |"


if __name__ == "__main__":
    PAGE.write_text(page(), encoding="utf-8")
