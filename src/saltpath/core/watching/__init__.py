"""Watches: when they are due, and what becomes of their runs' verdicts over time."""
