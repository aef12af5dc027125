"""Looking up rows in a database: what is asked, and the one statement that asks it."""
