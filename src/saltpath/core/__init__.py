"""The job itself: pure functions and small frozen types. No sockets, no SQL, no clock of its own.

A ladder of packages; each knows those above it in this list, and none below:

values        plain values, measures, moments, forms of text, draws, why something is as it is
paths         JSONPath, XPath, patterns, and the limits on their time
schemas       JSON Schema
references    `[=...]` parsed once, scopes, generators, pipes
answers       exchange, answer, subjects
cases         case, steps, options, shared steps, sources of rows
checks        relations, groups, loose values; outcomes; sentences both ways
running       plan, finished request, events, outputs, totals
tables        rows and columns
statistics    what is said of many results
proof         records that somebody else can check
watching      when watches are due, and what becomes of their verdicts
trends        what runs of cases add up to over days and months
format        documents read and written
assist        what helps the writer, and the engine never imports
sheet         cases as rows of a sheet
"""
