"""Checks: relations, how they are judged, and how they read as sentences."""
