"""The keywords of JSON Schema, each one entry: in which drafts it stands, what it asks, how what is
wrong is said."""

from saltpath.core.schemas.keywords import combining, lists, objects, unevaluated, values
from saltpath.core.schemas.keywords.table import KEYWORDS

__all__ = ["KEYWORDS", "combining", "lists", "objects", "unevaluated", "values"]
