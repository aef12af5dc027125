"""What is at the bottom of everything: plain values (what JSON can say, with exact numbers), their
measures and moments, forms of text, draws that repeat, and why something is as it is."""

from saltpath.core.values.plain import NotPlain, read_json, write_json
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Blocked, Why, why

__all__ = ["Blocked", "NotPlain", "Verdict", "Why", "read_json", "why", "write_json"]
