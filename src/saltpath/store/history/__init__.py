"""What became of watches, in a database of its own (`history.db`).

runs      who holds the schedule, claims, runs written down once
blocks    fresh runs packed into a block for each watch and hour, and read from there
slabs     sums, histograms and lines of all watches of a project over three hours and over a day
ranges    any stretch of time: slabs in the middle, runs at the edges
looks     what is looked through for what no single run says
burns     how fast allowances are used up
seen      what runs saw
phases    where the time of answers went, from that
retention what is kept no more
bounds    what goes when there is too much
troubles  outages and other trouble, and what is noted of it
"""
