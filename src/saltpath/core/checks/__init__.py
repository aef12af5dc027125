"""Checks: relations, how they are judged, and how they read as sentences."""

from saltpath.core.checks.judge import judge_all, verdict_of
from saltpath.core.checks.outcome import Outcome

__all__ = ["Outcome", "judge_all", "verdict_of"]
