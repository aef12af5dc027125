"""What the runs of cases add up to over time (`history.db`), made from what was recorded of each
when it has ended, and kept longer than that."""
