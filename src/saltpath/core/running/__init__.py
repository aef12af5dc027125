"""A run as the core sees it: the plan, the finished request of a step, the events that leave the
engine, the rows of output tables, and what it all adds up to."""

from saltpath.core.running.compiled import CompiledCase, CompiledPlan
from saltpath.core.running.events import Event

__all__ = ["Event", "CompiledPlan", "CompiledCase"]
