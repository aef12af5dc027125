"""Trends: what the runs of cases and steps add up to over days and months, and what is said of
it."""
