"""Rows and columns: where they come from, what their cells are, which of them are meant."""
