"""What became of watches, in a database of its own (`history.db`).

runs      who holds the schedule, claims, runs written down once
blocks    fresh runs packed into a block for each watch and hour, and read from there
slabs     sums, histograms and lines of all watches of a project over three hours and over a day
ranges    any stretch of time: slabs in the middle, runs at the edges
seen      what runs saw
retention what is kept no more
outages   when a watch was out, and what is noted of it
"""
