"""The words of the trade as types: a case with its steps, checks and keeps; the project, suites and
environments around it; options, shared steps, and where rows come from."""

from saltpath.core.cases.case import Case, Environment, Project, Step, Suite
from saltpath.core.cases.options import Options
from saltpath.core.cases.row_sources import Row, Source

__all__ = ["Case", "Environment", "Options", "Project", "Row", "Source", "Step", "Suite"]
