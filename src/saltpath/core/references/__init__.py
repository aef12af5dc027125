"""References `[=name | pipe]`: parsed once (`templates.py`), resolved against scopes, made by
generators, turned by pipes, and encoded for the place where they stand."""

from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.references.templates import Reference, Template, read_template

__all__ = ["Reference", "Scope", "Scopes", "Template", "read_template"]
