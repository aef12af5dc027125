"""Statistics of runs: what is said of many results, and how sure it is."""
