"""Where requests go, by the names of a project's values: an address that came from elsewhere says
the name where a value says it."""

from __future__ import annotations

from saltpath.server.context import database
from saltpath.store import projects
from saltpath.store.documents import Document


def origins_of(project: Document) -> dict[str, str]:
    """The addresses that the project's values are, in any environment, each with the value's
    name."""
    documents = [
        project.document,
        *(e.document for e in projects.environments(database(), project.id)),
    ]
    values = [item for document in documents for item in document.get("values", {}).items()]
    return {
        value.rstrip("/"): name
        for name, value in values
        if isinstance(value, str) and value.startswith(("http://", "https://"))
    }


def by_name(send: str, origins: dict[str, str]) -> str:
    """The method and address with the name of a value in the place of where it goes, where a value
    says just that."""
    method, _, address = send.partition(" ")
    for origin, name in origins.items():
        if address == origin or address.startswith((f"{origin}/", f"{origin}?")):
            return f"{method} [={name}]{address[len(origin) :]}"
    return send
